import { say } from "../words";
import * as api from "../api/visiting";
import { Trouble } from "../api/service";
import { pageData, type Schemas } from "../pageData";
import { Attached } from "./attached.svelte";
import { Begun } from "./begun.svelte";
import { Brought } from "./brought.svelte";
import { linksToSomething } from "./linked";
import { Pictures } from "./pictures.svelte";
import { Tables } from "./tables.svelte";
import type { Recordings } from "./recordings.svelte";
import { Turn } from "./turn.svelte";

/** The conversation on the page, and the list of earlier ones. */
export class Conversation {
  id = $state("");
  title = $state("");
  turns = $state<Turn[]>([]);
  /** The path of the page where whoever has the link can read it; or "". */
  shared = $state("");
  earlier = $state<Schemas["Conversation"][]>([]);
  /** Why the conversation cannot be shown or the question not be asked. */
  problem = $state<Schemas["Trouble"] | null>(null);
  loading = $state(false);
  /** What the list is searched for. */
  search = $state("");
  /** There are more earlier conversations than are listed. */
  more = $state(false);
  /** What was removed or taken back last, as long as the page offers to bring it back. */
  undo = $state<{ what: string; bringBack: () => Promise<void> } | null>(null);
  /** What the visitor has chosen of what the desk offers. */
  choice = $state<Schemas["Choice"]>(kept());
  readonly begun = new Begun();
  readonly attached = new Attached(this.begun);
  readonly brought = new Brought(this.begun);
  readonly pictures = new Pictures(this.begun);
  readonly tables = new Tables(this.begun);
  /** Recordings, where the desk takes some; they come with what is needed later. */
  recordings = $state<Recordings | null>(null);
  /** Counts the conversations that were opened and have turns. */
  shown = $state(0);
  readonly running = $derived(this.turns.find((t) => t.running));

  constructor() {
    if (pageData.desk?.sound.take) void this.#listen();
    if (pageData.desk?.tables) {
      void this.tables.refresh();
      this.attached.onread = () => void this.tables.refresh();
    }
    addEventListener("popstate", () => void this.open(idInAddress()));
    void this.refresh();
    const id = idInAddress();
    void this.open(id);
    if (!id && !linksToSomething()) void this.#takeUp(Begun.kept());
  }

  /** Takes up the conversation that was to begin when the page was left, if anything of it is still there. */
  async #takeUp(id: string) {
    if (!id) return;
    this.#rest(id);
    try {
      const [attached, brought, pictures] = await Promise.all([
        api.listAttached(id),
        api.listErrands(id),
        pageData.desk?.pictures.take ? api.listPictures(id) : [],
      ]);
      if (attached.length || brought.length || pictures.length || this.begun.id !== id || this.id) return;
    } catch {
      return; // whether it is there is not known
    }
    Begun.over();
    this.begun.id = "";
  }

  /** Shows what was attached to a conversation and brought into it. */
  #rest(id: string) {
    if (id === this.begun.id) return;
    this.begun.id = id;
    if (pageData.desk?.attachments) this.attached.show();
    if (pageData.desk?.pictures.take) this.pictures.show();
    this.recordings?.show();
    if (pageData.desk && offersBringing(pageData.desk)) this.brought.show();
    if (pageData.desk?.tables) void this.tables.refresh();
  }

  /** Gets ready for recordings. */
  async #listen() {
    const { Recordings } = await import("./later");
    this.recordings = new Recordings(this.begun);
    this.recordings.onbegun = (id, title) => {
      if (this.id) return;
      this.id = id;
      this.title = title;
      Begun.over();
      history.pushState(null, "", pathOf(id));
      void this.refresh();
    };
    this.recordings.show();
  }

  /** Shows a conversation; "" is an empty one. */
  async open(id: string, push = false) {
    if (push) history.pushState(null, "", pathOf(id));
    if (push && !id) Begun.over();
    this.id = id;
    this.title = this.shared = "";
    this.turns = [];
    this.problem = null;
    this.#rest(id);
    if (!id) return;
    this.loading = true;
    try {
      const c = await api.readConversation(id);
      if (this.id !== id) return;
      this.#show(c);
      this.shown++;
    } catch (e) {
      if (this.id === id) this.problem = asTrouble(e);
    } finally {
      this.loading = false;
    }
  }

  /** Shows a conversation as it is on record. */
  #show(c: Schemas["Conversation"]) {
    this.id = c.id;
    this.title = c.title;
    this.shared = c.shared ?? "";
    this.turns = (c.turns ?? []).map(Turn.recorded);
    for (const turn of this.turns) {
      if (turn.running) void turn.follow(api.watch(turn.id, ""), undefined, false).catch((e) => turn.fail(e));
    }
  }

  /** What a question would take. */
  foretell(question: string, inputs: Record<string, string>) {
    return api.foretell(question, this.id, this.choice, inputs);
  }

  /**
   * Asks, at the end or in the place of a turn, which stays as a branch. False
   * if the question did not arrive: then problem says why.
   */
  async ask(question: string, instead?: Turn, inputs: Record<string, string> = {}): Promise<boolean> {
    this.problem = this.undo = null;
    await this.pictures.settled;
    const turn = new Turn(question);
    turn.pictures = instead ? instead.pictures : [...this.pictures.list];
    const before = this.turns;
    if (instead) {
      turn.siblings = instead.siblings;
      this.turns = this.turns.slice(0, this.turns.indexOf(instead));
    }
    this.turns.push(turn);
    const shown = this.turns[this.turns.length - 1]!; // the reactive one
    let arrived = false;
    const stream = api.ask(
      question,
      this.id || this.begun.id,
      crypto.randomUUID?.() ?? String(Math.random()),
      instead?.id ?? "",
      this.choice,
      inputs,
    );
    const followed = shown.follow(stream, (b) => {
      arrived = true;
      if (!this.id) {
        this.id = this.begun.id = b.conversation;
        Begun.over();
        this.title = b.title ?? question;
        history.pushState(null, "", pathOf(b.conversation));
      }
      void this.refresh();
      if (this.pictures.list.length) void this.pictures.refresh();
    });
    try {
      await stream;
    } catch (e) {
      this.turns = before.filter((t) => t !== shown);
      this.problem = asTrouble(e);
      if (this.problem.code === "not-offered") this.choose({});
      void followed.catch(() => {});
      return false;
    }
    void followed.catch((e) => {
      if (arrived) return shown.fail(e);
      this.turns = before.filter((t) => t !== shown);
      this.problem = asTrouble(e);
    });
    return true;
  }

  async again(turn: Turn) {
    try {
      await turn.follow(api.makeAgain(turn.id, this.choice));
    } catch (e) {
      turn.fail(e);
    }
  }

  attempt(turn: Turn, attempt: number): Promise<boolean> {
    return this.#change(() => turn.choose(attempt));
  }

  /** Goes to another branch. */
  branch(turn: string): Promise<boolean> {
    return this.#change(async () => this.#show(await api.show(turn)));
  }

  judge(turn: Turn, helped: boolean): Promise<boolean> {
    return this.#change(() => turn.judge(helped));
  }

  explain(turn: Turn, reason: string, remark: string): Promise<boolean> {
    return this.#change(() => turn.explain(reason, remark));
  }

  prefer(turn: Turn, lane: number): Promise<boolean> {
    return this.#change(() => turn.prefer(lane));
  }

  /** Keeps what the visitor has chosen, on this browser. */
  choose(choice: Schemas["Choice"]) {
    this.choice = choice;
    localStorage.setItem(choiceKey, JSON.stringify(choice));
  }

  /** Takes the last turn back and returns its question, "" if it could not. */
  async takeBack(turn: Turn): Promise<string> {
    let question = "";
    await this.#change(async () => {
      const back = await api.takeBack(turn.id);
      question = back.question;
      if (back.left) this.turns = this.turns.filter((t) => t !== turn);
      else await this.open("", true);
      this.undo = {
        what: say.conversation.takenBack,
        bringBack: async () => {
          const c = await api.show(turn.id);
          if (this.id !== c.id) history.pushState(null, "", pathOf(c.id));
          this.#show(c);
        },
      };
    });
    return question;
  }

  /** Gives the conversation a title; false if it was not back. */
  rename(title: string): Promise<boolean> {
    return this.#change(async () => {
      await api.rename(this.id, title);
      this.title = title;
    });
  }

  share(): Promise<boolean> {
    return this.#change(async () => void (this.shared = await api.share(this.id)));
  }

  unshare(): Promise<boolean> {
    return this.#change(async () => {
      await api.unshare(this.id);
      this.shared = "";
    });
  }

  /** Removes the conversation on the page; restore brings it back. */
  remove(): Promise<boolean> {
    return this.#change(async () => {
      await api.remove(this.id);
      const { id, title } = this;
      await this.open("", true);
      this.undo = {
        what: say.conversation.removed(title),
        bringBack: async () => {
          await api.restore(id);
          await this.open(id, true);
        },
      };
    });
  }

  /** Brings back what was removed or taken back last. */
  bringBack(): Promise<boolean> {
    const { bringBack } = this.undo!;
    this.undo = null;
    return this.#change(bringBack);
  }

  /** Does something to a conversation; if it fails, problem says why. */
  async #change(what: () => Promise<void>): Promise<boolean> {
    try {
      await what();
      void this.refresh();
      return true;
    } catch (e) {
      this.problem = asTrouble(e);
      return false;
    }
  }

  async stop() {
    try {
      await this.running?.stop();
    } catch (e) {
      this.problem = asTrouble(e);
    }
  }

  /** Reads the list of earlier conversations; without it the page works too. */
  async refresh() {
    const { search } = this;
    try {
      const list = await api.listConversations(search);
      if (search !== this.search) return; // the reader has typed on
      this.earlier = list;
      this.more = list.length === 60;
    } catch {
      // The next question refreshes it.
    }
  }

  /** Adds what comes after the end of the list. */
  async extend() {
    const rest = await api.listConversations(this.search, this.earlier.at(-1)?.asked_at);
    this.earlier.push(...rest);
    this.more = rest.length === 60;
  }
}

/** Whether visitors of a desk may have anything brought. */
export const offersBringing = (desk: Schemas["Face"]) =>
  desk.bring.addresses || desk.bring.documents || desk.bring.sources.length > 0;

const choiceKey = `juvalogos-choice:${pageData.slug.replace(/^~/, "")}`;

/** What the visitor has chosen, as far as the desk still offers it. */
function kept(): Schemas["Choice"] {
  const offered = pageData.desk?.choices;
  if (!offered) return {};
  let c: Schemas["Choice"];
  try {
    c = JSON.parse(localStorage.getItem(choiceKey) ?? "{}");
  } catch {
    return {};
  }
  return {
    ...(c.model && offered.models.some((m) => m.model === c.model) && { model: c.model }),
    ...(c.manner && offered.manner && { manner: c.manner }),
    ...(c.length && offered.length && { length: c.length }),
    ...(c.language && offered.languages.includes(c.language) && { language: c.language }),
  };
}

function asTrouble(e: unknown): Schemas["Trouble"] {
  if (e instanceof Trouble) return { code: e.code, detail: e.detail, id: e.id };
  return { code: "unexpected", detail: say.conversation.broken };
}

/** The path of a conversation's page, or of the desk's. */
export const pathOf = (id: string) => `${pageData.base}/at/${pageData.slug}${id ? "/" + id : ""}`;

const idInAddress = () => location.pathname.slice(pathOf("").length + 1);
