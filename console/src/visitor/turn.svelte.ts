import { fromService, say } from "../words";
import * as api from "../api/visiting";
import { Trouble } from "../api/service";
import { readEvents, type ReplyEvent } from "../api/events";
import type { Schemas } from "../pageData";

export type TurnState = "waiting" | "writing" | "done" | "stopped" | "failed" | "interrupted";

/** How long, in ms, a model may be silent before the page says so. */
const slowAfter = 9000;

/** One question with its reply, as the page shows it. */
export class Turn {
  id = $state("");
  number = $state(0);
  /** The turns that stand at this place of the conversation, itself among them. */
  siblings = $state<string[]>([]);
  question: string;
  /** The pictures that it is asked with. */
  pictures = $state<Schemas["Picture"][]>([]);
  text = $state("");
  state = $state<TurnState>("waiting");
  problem = $state<Schemas["Trouble"] | null>(null);
  seconds = $state(0);
  /** Why the reply ends before its end: it was long, or its model's rules ended it. */
  cutShort = $state<"" | "long" | "filtered">("");
  /** What the model thinks aloud before its reply, while that is being made. */
  thought = $state("");
  /** What is done of many, in their order, while there is no reply yet. */
  pieces = $state<Schemas["Piece"][]>([]);
  /** The attempt that is shown, from 1, and how many there are. */
  attempt = $state(1);
  attempts = $state(1);
  /** What the reader is told while the reply is on its way. */
  note = $state("");
  /** Of pictures that are being made: since when, about how long it takes in seconds, and
   *  from how many that is known; null: none are. */
  making = $state<{ since: number; about: number; known: number } | null>(null);
  /** How far a job is that tells, of 1; 0: it does not. */
  done = $state(0);
  /** What a picture looks like that is not done, as a data URL. */
  preview = $state("");
  /** Until when the model asks to be left alone, in ms since 1970; 0 if not at all. */
  patienceUntil = $state(0);
  helped = $state<boolean | null>(null);
  reason = $state("");
  remark = $state("");
  /** How several texts are shown, and they; "" where the reply is one text. */
  show = $state<"" | "columns" | "cards">("");
  lanes = $state<Schemas["Lane"][]>([]);
  preferred = $state<number | null>(null);
  parts = $state<Schemas["Part"][]>([]);
  usage = $state<Schemas["Outcome"]["usage"] | null>(null);
  model = $state("");
  readonly running = $derived(this.state === "waiting" || this.state === "writing");

  #lastEvent = "";
  #pending = "";
  #frame = 0;
  #stopping = false;
  #lost = false;
  #countdown = 0;
  #since = 0;

  constructor(question: string) {
    this.question = question;
  }

  /** A turn as it is on record. */
  static recorded(t: Schemas["Turn"]): Turn {
    const turn = new Turn(t.question);
    turn.id = t.id;
    turn.number = t.number;
    turn.siblings = t.siblings;
    turn.pictures = t.pictures ?? [];
    turn.#show(t);
    return turn;
  }

  /** Shows another attempt, which then counts. */
  async choose(attempt: number) {
    this.#show(await api.choose(this.id, attempt));
  }

  /** Says whether the reply helped; the same answer again takes it back. */
  async judge(helped: boolean) {
    const before = this.helped;
    const now = before === helped ? null : helped;
    this.helped = now;
    this.reason = this.remark = "";
    try {
      await this.#inOrder(() => api.judge(this.id, this.attempt, now));
    } catch (e) {
      this.helped = before;
      throw e;
    }
  }

  /** Says why the reply did not help. */
  async explain(reason: string, remark: string) {
    const before = { reason: this.reason, remark: this.remark };
    Object.assign(this, { reason, remark });
    try {
      await this.#inOrder(() => api.judge(this.id, this.attempt, false, reason, remark));
    } catch (e) {
      Object.assign(this, before);
      throw e;
    }
  }

  #judged: Promise<unknown> = Promise.resolve();

  /** Sends one judgement after the other, so that the last one is what stays. */
  #inOrder(send: () => Promise<unknown>): Promise<unknown> {
    const sent = this.#judged.then(send);
    this.#judged = sent.catch(() => {});
    return sent;
  }

  /** Makes one of several texts the reply. */
  async prefer(lane: number) {
    this.#show(await api.prefer(this.id, this.attempt, lane));
  }

  #show(t: Schemas["Turn"]) {
    this.text = t.reply;
    this.helped = t.helped ?? null;
    this.reason = t.reason ?? "";
    this.remark = t.remark ?? "";
    this.#takeLanes(t.outcome);
    this.model = t.model;
    this.attempt = t.attempt;
    this.attempts = t.attempts;
    if (t.outcome.state === "running") this.state = t.reply ? "writing" : "waiting";
    else this.#end(t.outcome);
  }

  /**
   * Follows the reply to its end, through lost connections. begun is called
   * when the service has the question on record; troubles before that are
   * thrown. asking is false if first only follows what was asked before.
   */
  async follow(first: Promise<Response>, begun: (b: Schemas["Begin"]) => void = () => {}, asking = true) {
    this.state = "waiting";
    this.problem = null;
    this.helped = null;
    const slow = setTimeout(() => {
      if (this.state === "waiting" && !this.note) this.note = say.notices.slow;
    }, slowAfter);
    try {
      let stream: Promise<Response> = first;
      for (let wait = 500; ; wait = Math.min(2 * wait, 5000)) {
        try {
          for await (const event of readEvents(await stream)) {
            wait = 500;
            asking = false;
            if (this.#heedEvent(event, begun)) return;
          }
        } catch (e) {
          if (!this.id || asking || (e instanceof Trouble && !e.passing)) throw e;
        }
        if (!this.id) throw new Trouble("offline", say.notices.lostEarly);
        this.#lost = true;
        this.note = say.notices.lost;
        await online(wait);
        asking = false;
        stream = api.watch(this.id, this.#lastEvent);
      }
    } finally {
      clearTimeout(slow);
    }
  }

  /** Has the service stop the reply; what there is stays. */
  async stop() {
    this.#stopping = true;
    if (this.id) await api.stop(this.id);
  }

  fail(e: unknown) {
    this.#flush();
    const t = e instanceof Trouble ? e : new Trouble("unexpected", say.notices.broken);
    this.problem = { code: t.code, detail: t.detail, id: t.id };
    this.state = "failed";
    this.#say("");
  }

  #heedEvent(event: ReplyEvent, begun: (b: Schemas["Begin"]) => void): boolean {
    if (event.id) this.#lastEvent = event.id;
    switch (event.name) {
      case "begin":
        this.#begin(event.data, begun);
        break;
      case "text":
        this.#pending += event.data.text;
        if (!this.#lost) this.#say("");
        this.#frame ||= requestAnimationFrame(() => this.#flush());
        break;
      case "lane":
        this.#lane(event.data);
        break;
      case "thought":
        this.#think(event.data);
        break;
      case "piece":
        this.#piece(event.data);
        break;
      case "notice":
        this.#heed(event.data);
        break;
      case "end":
        this.#flush();
        this.#end(event.data);
        return true;
    }
    return false;
  }

  #begin(b: Schemas["Begin"], begun: (b: Schemas["Begin"]) => void) {
    this.#since = b.begun_at ? Date.parse(b.begun_at) : Date.now();
    const first = !this.id;
    this.id = b.turn;
    this.number = b.number;
    if (!this.siblings.includes(b.turn)) this.siblings = [...this.siblings, b.turn];
    this.#say(this.#lost ? say.notices.back : "");
    if (this.#lost)
      setTimeout(() => ((this.#lost = false), this.note === say.notices.back && (this.note = "")), 2500);
    if (b.attempt !== this.attempt) this.pieces = [];
    if (b.from === 0 || b.attempt !== this.attempt) {
      this.#flush("");
      this.thought = "";
    }
    if (b.show) {
      this.show = b.show;
      if (b.attempt !== this.attempt || !this.lanes.length)
        this.lanes = (b.titles ?? []).map((title) => ({ title, text: "", seconds: 0 }));
      this.preferred = null;
    }
    this.attempt = b.attempt;
    this.attempts = Math.max(this.attempts, b.attempt);
    if (first) begun(b);
    if (this.#stopping) void api.stop(this.id);
  }

  /** Puts a piece where it belongs; after a break the same ones come again. */
  #piece(p: Schemas["Piece"]) {
    const others = this.pieces.filter((o) => o.number !== p.number);
    const at = others.findIndex((o) => o.number > p.number);
    this.pieces = others.toSpliced(at < 0 ? others.length : at, 0, p);
  }

  #lane(l: Schemas["LaneText"]) {
    while (this.lanes.length <= l.lane)
      this.lanes.push({ title: String(this.lanes.length + 1), text: "", seconds: 0 });
    const lane = this.lanes[l.lane]!;
    lane.text = l.whole ? l.text : lane.text + l.text;
    this.state = "writing";
    if (!this.#lost) this.#say("");
  }

  /** Keeps what is thought aloud; of several texts it is shown once they are there. */
  #think(l: Schemas["LaneText"]) {
    if (this.show) return;
    this.thought = l.whole ? l.text : this.thought + l.text;
    if (!this.#lost) this.#say("");
  }

  #takeLanes(o: Schemas["Outcome"]) {
    this.show = o.show ?? "";
    if (o.lanes) this.lanes = o.lanes;
    this.preferred = o.preferred ?? null;
    this.parts = o.parts ?? [];
  }

  /** Shows what has come since the last frame; text replaces it all. */
  #flush(text?: string) {
    cancelAnimationFrame(this.#frame);
    this.#frame = 0;
    if (text !== undefined) {
      this.text = text;
      this.#pending = "";
    }
    if (!this.#pending) return;
    this.text += this.#pending;
    this.#pending = "";
    this.state = "writing";
  }

  /** Says one thing, and stops counting down. */
  #say(note: string) {
    clearInterval(this.#countdown);
    this.note = note;
  }

  #heed(n: Schemas["Notice"]) {
    if (n.kind === "making") {
      this.making = { since: this.#since, about: n.seconds ?? 0, known: n.place ?? 0 };
      return this.#say("");
    }
    if (n.kind === "preview") {
      this.preview = n.picture ?? "";
      return;
    }
    if (n.kind === "working") this.done = n.done ?? 0;
    const until = Date.now() + 1000 * (n.seconds ?? 0);
    const tell = () =>
      (this.note =
        n.kind === "step"
          ? say.notices.step(fromService({ form: n.says ?? "" }, n.says), n.counted ?? 0, n.of ?? 0)
          : n.kind === "working"
            ? say.notices.working(n.says ?? "", n.done ?? 0)
            : n.kind === "waking"
              ? say.notices.waking(Math.ceil(n.seconds ?? 0))
              : n.kind === "retrying"
                ? say.notices.asking(n.why ?? "", Math.max(0, Math.ceil((until - Date.now()) / 1000)))
                : notices[n.kind](Math.max(0, Math.ceil((until - Date.now()) / 1000)), n.place ?? 0));
    const note = tell();
    // Who listens hears of every tenth of many.
    if (!n.of || (n.counted ?? 0) % 10 === 0) this.#say(note);
    if (n.seconds) this.#countdown = window.setInterval(tell, 1000);
  }

  #end(o: Schemas["Outcome"]) {
    this.#say("");
    this.#lost = false;
    this.usage = o.usage;
    if (o.reply !== undefined) this.#flush(o.reply);
    if (o.lanes || o.parts) this.#takeLanes(o);
    this.patienceUntil = o.problem?.retry_after ? Date.now() + 1000 * o.problem.retry_after : 0;
    this.problem = o.problem ?? null;
    this.seconds = o.seconds;
    this.cutShort = o.finish === "length" ? "long" : o.finish === "content_filter" ? "filtered" : "";
    this.thought = this.preview = "";
    this.pieces = [];
    this.making = null;
    this.done = 0;
    this.#stopping = false;
    if (o.state !== "running") this.state = o.state;
  }
}

/** Waits for a time in ms, or until the browser is online again. */
function online(wait: number): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      clearTimeout(timer);
      removeEventListener("online", done);
      resolve();
    };
    const timer = setTimeout(done, wait);
    addEventListener("online", done);
  });
}

const notices: Record<Schemas["Notice"]["kind"], (seconds: number, place: number) => string> = {
  retrying: () => "",
  waking: () => "",
  working: () => "",
  "in-line": (s, place) => say.notices.inLine(place, s),
  writing: () => "",
  making: () => "",
  preview: () => "",
  unsaved: () => say.notices.unsaved,
  saved: () => "",
  step: () => "",
};
