import * as api from "../api/visiting";
import { Trouble } from "../api/service";
import type { Schemas } from "../pageData";
import { say } from "../words";
import type { Begun } from "./begun.svelte";

export type Errand = Schemas["Errand"];

/** What was brought into the conversation on the page. */
export class Brought {
  readonly begun: Begun;
  errands = $state<Errand[]>([]);
  /** Something is being asked of the service. */
  busy = $state(false);
  problem = $state("");
  /** What was put away last. */
  away = $state<Errand | null>(null);
  readonly running = $derived(this.errands.some((e) => e.state === "running" || e.reading));
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor(begun: Begun) {
    this.begun = begun;
  }

  /** Shows what was brought into the conversation. */
  show() {
    this.errands = [];
    this.problem = "";
    this.away = null;
    void this.#refresh();
  }

  /** Brings something; false if it could not be asked for. */
  bring(wish: Schemas["Wish"]): Promise<boolean> {
    return this.#do(async () => {
      const e = await api.bring(this.begun.id, wish);
      this.begun.announced(e.conversation);
      this.#put(e);
    });
  }

  /** Goes on with one of several meanings; "" tries again what failed. */
  choose(e: Errand, title: string): Promise<boolean> {
    return this.#do(async () => this.#put(await api.chooseMeaning(e.id, title)));
  }

  stop(e: Errand): Promise<boolean> {
    return this.#do(() => api.stopErrand(e.id));
  }

  putAway(e: Errand): Promise<boolean> {
    return this.#do(async () => {
      await api.putAway(e.id);
      this.errands = this.errands.filter((other) => other.id !== e.id);
      this.away = e;
    });
  }

  takeUp(e: Errand): Promise<boolean> {
    return this.#do(async () => {
      await api.takeUp(e.id);
      this.away = null;
    });
  }

  agree(e: Errand): Promise<boolean> {
    return this.#do(async () => {
      await api.agreeToCost(e.id);
      e.estimate = undefined;
    });
  }

  #put(e: Errand) {
    const at = this.errands.findIndex((other) => other.id === e.id);
    if (at < 0) this.errands.push(e);
    else this.errands[at] = e;
  }

  async #do(what: () => Promise<void>): Promise<boolean> {
    this.busy = true;
    this.problem = "";
    try {
      await what();
      return true;
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.bring.notSent;
      return false;
    } finally {
      this.busy = false;
      await this.#refresh();
    }
  }

  /** Reads how far all is, again and again as long as something is on its way. */
  async #refresh() {
    clearTimeout(this.#timer);
    const { id } = this.begun;
    if (!id) return;
    try {
      const errands = await api.listErrands(id);
      if (id === this.begun.id) this.errands = errands;
    } catch {
      // What was brought stays; the list is read again below.
    }
    if (id === this.begun.id && this.running) this.#timer = setTimeout(() => void this.#refresh(), 400);
  }
}
