import * as api from "../api/api";
import { Trouble } from "../api/api";
import { given, type Schemas } from "../given";
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
  /** What was removed last, as long as the page offers to bring it back. */
  removed = $state<{ id: string; title: string } | null>(null);
  /** Counts the conversations that were opened and have turns. */
  shown = $state(0);
  readonly running = $derived(this.turns.find((t) => t.running));

  constructor() {
    addEventListener("popstate", () => void this.open(idInAddress()));
    void this.refresh();
    void this.open(idInAddress());
  }

  /** Shows a conversation; "" is an empty one. */
  async open(id: string, push = false) {
    if (push) history.pushState(null, "", pathOf(id));
    this.id = id;
    this.title = this.shared = "";
    this.turns = [];
    this.problem = null;
    if (!id) return;
    this.loading = true;
    try {
      const c = await api.readConversation(id);
      if (this.id !== id) return;
      this.title = c.title;
      this.shared = c.shared ?? "";
      this.turns = (c.turns ?? []).map(Turn.recorded);
      this.shown++;
      for (const turn of this.turns) {
        if (turn.running) void turn.follow(api.watch(turn.id, ""), undefined, false).catch((e) => turn.fail(e));
      }
    } catch (e) {
      if (this.id === id) this.problem = asTrouble(e);
    } finally {
      this.loading = false;
    }
  }

  /** Asks. False if the question did not arrive: then problem says why. */
  async ask(question: string): Promise<boolean> {
    this.problem = null;
    const turn = new Turn(question);
    this.turns.push(turn);
    const shown = this.turns[this.turns.length - 1]!; // the reactive one
    let arrived = false;
    const stream = api.ask(question, this.id, crypto.randomUUID?.() ?? String(Math.random()));
    const followed = shown.follow(stream, (b) => {
      arrived = true;
      if (!this.id) {
        this.id = b.conversation;
        this.title = b.title ?? question;
        history.pushState(null, "", pathOf(b.conversation));
      }
      void this.refresh();
    });
    try {
      await stream;
    } catch (e) {
      this.turns = this.turns.filter((t) => t !== shown);
      this.problem = asTrouble(e);
      void followed.catch(() => {});
      return false;
    }
    void followed.catch((e) => {
      if (arrived) return shown.fail(e);
      this.turns = this.turns.filter((t) => t !== shown);
      this.problem = asTrouble(e);
    });
    return true;
  }

  async again(turn: Turn) {
    try {
      await turn.follow(api.makeAgain(turn.id));
    } catch (e) {
      turn.fail(e);
    }
  }

  choose(turn: Turn, attempt: number): Promise<boolean> {
    return this.#change(() => turn.choose(attempt));
  }

  /** Takes the last turn back and returns its question, "" if it could not. */
  async takeBack(turn: Turn): Promise<string> {
    let question = "";
    await this.#change(async () => {
      const taken = await api.takeBack(turn.id);
      question = taken.question;
      if (taken.left) this.turns = this.turns.filter((t) => t !== turn);
      else await this.open("", true);
    });
    return question;
  }

  /** Gives the conversation a title; false if it was not taken. */
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
      this.removed = { id: this.id, title: this.title };
      await this.open("", true);
    });
  }

  restore(): Promise<boolean> {
    const { id } = this.removed!;
    this.removed = null;
    return this.#change(async () => {
      await api.restore(id);
      await this.open(id, true);
    });
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
    try {
      this.earlier = await api.listConversations();
    } catch {
      // The next question refreshes it.
    }
  }
}

function asTrouble(e: unknown): Schemas["Trouble"] {
  if (e instanceof Trouble) return { code: e.code, detail: e.detail, id: e.id };
  return { code: "unexpected", detail: "Something went wrong on this page. Please load it again." };
}

/** The path of a conversation's page, or of the desk's. */
export const pathOf = (id: string) => `${given.base}/at/${given.slug}${id ? "/" + id : ""}`;

const idInAddress = () => location.pathname.slice(pathOf("").length + 1);
