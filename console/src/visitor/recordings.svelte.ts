import { fromService, say } from "../words";
import { Trouble } from "../api/service";
import * as api from "../api/speaking";
import { upload } from "../api/upload";
import { pageData, type Schemas } from "../pageData";
import type { Begun } from "./begun.svelte";

type Facts = Schemas["Recording"];

/** How long, in ms, a page waits before it asks again after it could not. */
const retryAfter = 2000;

/** Names that were put right at this desk, for the next recordings; this browser keeps them. */
const namesKey = `juvalogos-names:${pageData.slug.replace(/^~/, "")}`;
const mostNames = 60;

/** A recording on the page. */
export class Recording {
  facts = $state<Facts>()!;
  sentences = $state<Schemas["SpokenSentence"][]>([]);
  peaks = $state<number[]>([]);
  /** Seconds of it that were heard. */
  done = $state(0);
  failed = $state<Schemas["MissingStretch"][]>([]);
  /** Whether its words are shown. */
  open = $state(true);
  problem = $state("");
  /** Where it is to be played from, in seconds, as often as that is asked for. */
  wanted = $state<{ at: number } | null>(null);
  /** Whether it has just been written down, on this page. */
  finished = $state(false);
  /** How often a place was asked for. */
  asked = $state(0);
  /** Tells when it is done, though the page be elsewhere. */
  tell = $state(false);
  #following = false;
  #gone = false;

  constructor(facts: Facts) {
    this.facts = facts;
    if (facts.state !== "given") void this.read();
    if (facts.state === "working") void this.follow();
  }

  get id() {
    return this.facts.id;
  }

  /** Takes in how it is. */
  #take(w: Schemas["RecordingWhole"]) {
    this.facts = w.recording;
    this.sentences = w.sentences;
    this.done = w.done_seconds;
    this.failed = w.failed ?? [];
    if (w.peaks.length) this.peaks = w.peaks;
  }

  async read() {
    try {
      this.#take(await api.readRecording(this.id));
    } catch (e) {
      this.problem = saidOf(e);
    }
  }

  /** Follows how it is written down, to the end. */
  async follow() {
    if (this.#following) return;
    this.#following = true;
    while (!this.#gone && this.facts.state === "working") {
      try {
        this.#take(await api.readRecording(this.id, this.facts.version));
        this.problem = "";
      } catch (e) {
        if (e instanceof Trouble && e.code === "no-such-recording") break;
        this.problem = say.notices.offline;
        await new Promise((ok) => setTimeout(ok, retryAfter));
      }
    }
    this.#following = false;
    if (this.#gone || this.facts.state === "stopped") return;
    this.finished = this.facts.state === "ready";
    this.#announce();
    // Its text is a document in a moment.
    setTimeout(() => void this.read(), 1500);
  }

  /** Says that it is done where the page is not looked at. */
  #announce() {
    if (!document.hidden) return;
    const said = say.sound.ended(this.facts.name, this.facts.state === "ready");
    const title = document.title;
    document.title = said;
    document.addEventListener("visibilitychange", () => (document.title = title), { once: true });
    if (this.tell && "Notification" in window && Notification.permission === "granted")
      new Notification(said);
  }

  async begin(wishes: Schemas["RecordingWishes"]) {
    this.problem = "";
    this.finished = false;
    try {
      this.facts = await api.beginRecording(this.id, wishes);
      if (!wishes.again) this.sentences = [];
      if (!this.peaks.length) await this.read();
      void this.follow();
    } catch (e) {
      this.problem = saidOf(e);
    }
  }

  async stop() {
    try {
      await api.stopRecording(this.id);
      await this.read();
    } catch (e) {
      this.problem = saidOf(e);
    }
  }

  /** Puts a sentence right; false if that was not kept. */
  async putRight(sentence: number, right: Schemas["SentenceRight"]): Promise<boolean> {
    this.problem = "";
    try {
      const names = await api.putRight(this.id, sentence, right);
      if (names.length) keepNames([...ownNames(), ...names]);
      await this.read();
      return true;
    } catch (e) {
      this.problem = saidOf(e);
      return false;
    }
  }

  /** It is on the page no more. */
  leave() {
    this.#gone = true;
  }

  /** Plays it from a second on, and shows what is said there. */
  playFrom(at: number) {
    this.open = true;
    this.wanted = { at };
    this.asked++;
  }
}

export function ownNames(): string[] {
  try {
    const all = JSON.parse(localStorage.getItem(namesKey) ?? "[]") as unknown;
    return Array.isArray(all) ? all.filter((n) => typeof n === "string") : [];
  } catch {
    return [];
  }
}

export function keepNames(names: string[]) {
  localStorage.setItem(namesKey, JSON.stringify([...new Set(names)].slice(-mostNames)));
}

const saidOf = (e: unknown) => (e instanceof Trouble ? e.detail : say.sound.broken);

/** The recordings of the conversation on the page. */
export class Recordings {
  readonly begun: Begun;
  list = $state<Recording[]>([]);
  /** How much of what is being sent has been, 0 to 1; null: nothing is. */
  sent = $state<number | null>(null);
  /** What was not taken, and why: a sentence each. */
  problems = $state<string[]>([]);
  /** What did not arrive; it can be sent again. */
  unsent = $state<File[]>([]);
  /** Told when a conversation has begun with a recording. */
  onbegun: (conversation: string, title: string) => void = () => {};

  constructor(begun: Begun) {
    this.begun = begun;
  }

  /** Shows those of the conversation. */
  show() {
    for (const r of this.list) r.leave();
    this.list = [];
    this.problems = [];
    this.unsent = [];
    void this.refresh();
  }

  async refresh() {
    const { id } = this.begun;
    if (!id) return;
    try {
      const all = await api.listRecordings(id);
      if (id === this.begun.id) this.#take(all);
    } catch {
      // They stay as they are shown.
    }
  }

  #take(all: Facts[]) {
    this.list = all.map((facts) => this.list.find((r) => r.id === facts.id) ?? new Recording(facts));
  }

  add(files: File[]): Promise<void> {
    if (!files.length) return Promise.resolve();
    this.unsent = [];
    return this.#send(
      () =>
        upload<Schemas["RecordingsGiven"]>(
          api.recordings(this.begun.id),
          files.map((file) => ({ name: file.name, file })),
          (part) => (this.sent = part),
        ),
      files,
    );
  }

  addAddress = (address: string) => this.#send(() => api.giveAddress(this.begun.id, { address }));
  addSample = (sample: number) => this.#send(() => api.giveAddress(this.begun.id, { sample }));

  async #send(send: () => Promise<Schemas["RecordingsGiven"]>, files: File[] = []) {
    this.problems = [];
    this.sent = files.length ? 0 : 1;
    try {
      const { conversation, recordings, refused } = await send();
      if (recordings.length) {
        this.begun.id = conversation;
        for (const r of this.list) if (r.facts.state === "ready") r.open = false;
        this.#take(recordings);
        this.onbegun(conversation, recordings[0]!.name);
      }
      this.problems = refused.map((r) => say.sound.notTaken(r.name, fromService(r.phrase, r.problem)));
    } catch (e) {
      this.unsent = files;
      this.problems = [e instanceof Trouble && e.code !== "offline" ? e.detail : say.sound.notSent];
    } finally {
      this.sent = null;
    }
  }

  async remove(r: Recording) {
    try {
      await api.removeRecording(r.id);
      r.leave();
      this.list = this.list.filter((o) => o !== r);
    } catch (e) {
      r.problem = saidOf(e);
    }
  }

  /** The recording whose text is a document. */
  of = (document: number) => this.list.find((r) => r.facts.document === document);
}

/** A time in a recording, like 1:02:03. */
export function clock(seconds: number): string {
  const s = Math.max(0, Math.floor(seconds));
  const two = (n: number) => String(n).padStart(2, "0");
  return s >= 3600
    ? `${Math.floor(s / 3600)}:${two(Math.floor(s / 60) % 60)}:${two(s % 60)}`
    : `${Math.floor(s / 60)}:${two(s % 60)}`;
}
