import { aboutMoney } from "../money";
import { readEvents } from "../../api/events";
import * as making from "../../api/making";
import type { Schemas } from "../../pageData";
import { sentence } from "../state.svelte";

export type Span = Schemas["Span"] & { at: number; depth: number };

/** The inside of one reply, live while it is made. */
export class Inside {
  id = $state("");
  trace = $state<Schemas["Inside"] | null>(null);
  problem = $state("");
  #stop: AbortController | null = null;

  /** Looks into a trace, by its id or that of a turn. */
  async look(id: string) {
    this.#stop?.abort();
    const stop = (this.#stop = new AbortController());
    this.id = id;
    this.problem = "";
    for (let tries = 0; ; tries++) {
      try {
        const t = await making.readInside(id);
        if (stop.signal.aborted) return;
        this.trace = t;
        if (t.live) await this.#follow(t.turn, stop);
        return;
      } catch (e) {
        if (stop.signal.aborted) return;
        // A reply that has just ended may not be on record for a moment.
        if (tries < 5) await new Promise((done) => setTimeout(done, 300));
        else {
          this.trace = null;
          this.problem = sentence(e);
          return;
        }
      }
    }
  }

  async #follow(turn: string, stop: AbortController) {
    const response = await making.followInside(turn, stop.signal);
    for await (const event of readEvents(response)) {
      if (stop.signal.aborted) return;
      this.trace = event.data as unknown as Schemas["Inside"];
    }
    this.trace = await making.readInside(turn);
  }

  close() {
    this.#stop?.abort();
  }
}

/** The spans in the order of the tree, each group before what is in it. */
export function inTree(spans: Schemas["Span"][]): Span[] {
  const all: Span[] = [];
  const add = (parent: number, depth: number) => {
    const own = spans.map((s, at) => ({ ...s, at, depth })).filter((s) => s.parent === parent);
    // Those that ran for each come in the order of their list.
    own.sort((a, b) => (a.step === b.step && a.number && b.number ? a.number - b.number : a.at - b.at));
    for (const s of own) {
      all.push(s);
      add(s.at, depth + 1);
    }
  };
  add(-1, 0);
  return all;
}

/** The reply that a trace led to: what its last model call said, or what its last step gave. */
export function replyOf(t: Schemas["Inside"]): string {
  for (const s of [...t.spans].reverse()) {
    if (s.parent >= 0 || s.state !== "done") continue;
    const texts = s.out?.texts ?? s.out?.answer;
    if (Array.isArray(texts)) return texts.filter((x) => typeof x === "string").join("\n\n---\n\n");
    const text = s.out?.text ?? s.out?.chosen;
    if (typeof text === "string") return text;
  }
  return t.kind === "reply" ? t.reply : "";
}

/** What a question takes, in a sentence. */
export function forecastLine(f: Schemas["Forecast"]): string {
  if (f.calls === 0) return "A question asks no model.";
  const times = f.calls === 1 ? "once" : f.calls === 2 ? "twice" : `${f.calls} times`;
  let line = `A question, or writing a reply again, asks a model ${times} at most: about ${(f.prompt_tokens + f.reply_tokens).toLocaleString("en")} tokens, ${aboutMoney(f.cost)}.`;
  if (f.open) line += " How often exactly is known while it runs; these are the recipe’s limits.";
  if (f.turns)
    line += ` In the last 30 days a question cost ${aboutMoney(f.usual)} on average (${f.turns} asked).`;
  return line;
}

export function span(seconds: number): string {
  if (seconds < 0.001) return "< 1 ms";
  if (seconds < 1) return `${Math.round(seconds * 1000)} ms`;
  return `${seconds.toFixed(seconds < 10 ? 2 : 1)} s`;
}
