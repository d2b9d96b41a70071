import { say } from "../words";
import { readAloud } from "../api/speaking";
import type { Turn } from "./turn.svelte";

/** A sentence of a reply, and where it stands on the page. */
interface Sentence {
  text: string;
  ranges: Range[];
}

const blocks = "p, li, h1, h2, h3, h4, h5, h6, blockquote, figcaption, dt, dd";
/** What is not read: code, tables, formulas, references, and what only screen readers get. */
const silent = "pre, table, math, sup, .sr-only, button, svg";

/** The sentences of a reply as they stand on the page, in their order. */
function sentencesOf(root: HTMLElement, most: number): Sentence[] {
  const all: Sentence[] = [];
  const segmenter = new Intl.Segmenter(document.documentElement.lang || "en", { granularity: "sentence" });
  let nodes: Text[] = [];
  let block: Element | null = null;
  const flush = () => {
    const text = nodes.map((n) => n.data).join("");
    for (const s of segmenter.segment(text)) {
      for (const [from, to] of shortened(s.segment, s.index, most)) {
        const said = text.slice(from, to).replace(/\s+/g, " ").trim();
        if (/[\p{L}\p{N}]/u.test(said)) all.push({ text: said, ranges: rangesOf(nodes, from, to) });
      }
    }
    nodes = [];
  };
  const walker = document.createTreeWalker(root, NodeFilter.SHOW_TEXT, (n) =>
    n.parentElement!.closest(silent) && root.contains(n.parentElement!.closest(silent))
      ? NodeFilter.FILTER_REJECT
      : NodeFilter.FILTER_ACCEPT,
  );
  for (let n = walker.nextNode() as Text | null; n; n = walker.nextNode() as Text | null) {
    const of = n.parentElement!.closest(blocks);
    if (of !== block) flush();
    block = of;
    nodes.push(n);
  }
  flush();
  return all;
}

/** Cuts what is longer than may be read at once, at a comma or a space. */
function shortened(text: string, at: number, most: number): [number, number][] {
  const parts: [number, number][] = [];
  let from = 0;
  while (text.length - from > most) {
    const piece = text.slice(from, from + most);
    const cut =
      Math.max(piece.lastIndexOf(", "), piece.lastIndexOf("; ")) + 1 || piece.lastIndexOf(" ") || most;
    parts.push([at + from, at + from + cut]);
    from += cut;
  }
  parts.push([at + from, at + text.length]);
  return parts;
}

function rangesOf(nodes: Text[], from: number, to: number): Range[] {
  const ranges: Range[] = [];
  let at = 0;
  for (const node of nodes) {
    const start = Math.max(from, at);
    const end = Math.min(to, at + node.length);
    if (start < end) {
      const range = document.createRange();
      range.setStart(node, start - at);
      range.setEnd(node, end - at);
      ranges.push(range);
    }
    at += node.length;
  }
  return ranges;
}

const name = "aloud";
const speedKey = "juvalogos-aloud-speed";

/** Reads a reply aloud, sentence by sentence, while it is being written too. */
export class Aloud {
  state = $state<"off" | "waiting" | "reading" | "paused">("off");
  turn = $state("");
  problem = $state("");
  speed = $state(Number(localStorage.getItem(speedKey)) || 1);
  #audio: HTMLAudioElement | null = null;
  #ended: AbortController | null = null;
  #ready = new Map<string, Promise<Blob>>();

  /** Reads a turn whose reply stands in an element. */
  async read(turn: Turn, root: () => HTMLElement | undefined, most: number) {
    this.stop();
    this.problem = "";
    this.turn = turn.id;
    this.state = "waiting";
    const ended = (this.#ended = new AbortController());
    const audio = (this.#audio = new Audio());
    this.#ready.clear();
    try {
      for (let i = 0; !ended.signal.aborted;) {
        const all = root() ? sentencesOf(root()!, most) : [];
        // The last one grows still.
        const whole = turn.running ? all.length - 1 : all.length;
        if (i >= whole) {
          if (!turn.running) break;
          await pause(120);
          continue;
        }
        for (const next of all.slice(i, Math.min(i + 3, whole)))
          this.#fetch(turn.id, next.text, ended.signal);
        const sound = await this.#ready.get(all[i]!.text)!;
        if (ended.signal.aborted) return;
        await this.#play(audio, sound, () => {
          const now = root() ? sentencesOf(root()!, most)[i] : undefined;
          if (now) light(now);
        });
        this.#ready.delete(all[i]!.text);
        i++;
      }
    } catch (e) {
      if (!ended.signal.aborted)
        this.problem = e instanceof Error && e.message ? e.message : say.aloud.problem;
    }
    if (this.#ended === ended) this.stop();
  }

  #fetch(turn: string, text: string, signal: AbortSignal) {
    if (this.#ready.has(text)) return;
    const sound = readAloud(turn, text, signal);
    sound.catch(() => {}); // whoever waits for it hears of it
    this.#ready.set(text, sound);
  }

  async #play(audio: HTMLAudioElement, sound: Blob, begun: () => void) {
    const address = URL.createObjectURL(sound);
    try {
      await new Promise<void>((ok, no) => {
        audio.onended = () => ok();
        audio.onerror = () => no(new Error(say.aloud.problem));
        this.#ended!.signal.addEventListener("abort", () => ok(), { once: true });
        audio.src = address;
        audio.playbackRate = this.speed;
        audio.play().then(() => {
          if (this.state === "waiting") this.state = "reading";
          begun();
        }, no);
      });
    } finally {
      URL.revokeObjectURL(address);
    }
  }

  pause() {
    this.#audio?.pause();
    this.state = "paused";
  }

  goOn() {
    this.state = "reading";
    void this.#audio?.play();
  }

  setSpeed(speed: number) {
    this.speed = speed;
    localStorage.setItem(speedKey, String(speed));
    if (this.#audio) this.#audio.playbackRate = speed;
  }

  stop() {
    this.#ended?.abort();
    this.#audio?.pause();
    this.#audio = this.#ended = null;
    this.state = "off";
    this.turn = "";
    CSS.highlights?.delete(name);
  }
}

/** The colours of what is being read; build tools do not know this kind of rule. */
let coloured = false;
function colour() {
  if (coloured) return;
  coloured = true;
  const sheet = new CSSStyleSheet();
  sheet.replaceSync(`::highlight(${name}) { background: var(--marker); color: var(--ink); }`);
  document.adoptedStyleSheets.push(sheet);
}

function light(s: Sentence) {
  colour();
  CSS.highlights?.set(name, new Highlight(...s.ranges));
  const box = s.ranges[0]?.getBoundingClientRect();
  if (box && (box.top < 80 || box.bottom > innerHeight - 160)) {
    const calm = matchMedia("(prefers-reduced-motion: reduce)").matches;
    scrollBy({ top: box.top - innerHeight / 3, behavior: calm ? "auto" : "smooth" });
  }
}

const pause = (ms: number) => new Promise((ok) => setTimeout(ok, ms));

/** The one reader of the page. */
export const aloud = new Aloud();
