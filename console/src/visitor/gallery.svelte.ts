import { say } from "../words";
import { Trouble } from "../api/service";
import * as api from "../api/visiting";
import { pageData } from "../pageData";
import { Begun } from "./begun.svelte";
import { Pictures, type Picture } from "./pictures.svelte";
import { Turn } from "./turn.svelte";

/** What a visitor wishes for. */
export interface Wish {
  words: string;
  number: number;
  format: string;
  /** "": the desk draws one. */
  seed: string;
  /** The id of what was painted over the picture; "": nothing. */
  mask: string;
}

/** The pictures of a day. */
export interface Day {
  day: string;
  pictures: Picture[];
}

/** Sorts pictures, the newest first, into days, after others that are sorted already: of
 *  thousands, only what comes is gone through. */
function byDay(pictures: Picture[], before: Day[] = []): Day[] {
  const days = [...before];
  for (const p of pictures) {
    const day = say.gallery.day(new Date(p.at ?? 0));
    const last = days.at(-1);
    if (last?.day !== day) days.push({ day, pictures: [p] });
    else if (last === before.at(-1)) days.splice(-1, 1, { day, pictures: [...last.pictures, p] });
    else last.pictures.push(p);
  }
  return days;
}

/** A wish as it was sent; key tells it from others. */
interface Asked {
  conversation: string;
  key: string;
  inputs: Record<string, string>;
  /** When, in ms since 1970. */
  at: number;
}

/** A wish on its way: by its id, or, as long as the service has not answered, as it was sent. */
interface Kept {
  words: string;
  id?: string;
  asked?: Asked;
}

/** For how long, in ms, a wish is sent again that the service may not have heard of. */
const stillWished = 60_000;

const makingKey = `juvalogos-making:${pageData.slug}`;
const perPage = 120;

// A page that is left hears of broken lines that are none.
let leaving = false;
addEventListener("pagehide", () => (leaving = true));
addEventListener("pageshow", () => (leaving = false));

/** The pictures that the desk made for this visitor, and the wish on its way. */
export class Gallery {
  readonly begun = new Begun();
  readonly given = new Pictures(this.begun);
  // Raw: thousands of pictures are compared by what they are, not watched.
  list = $state.raw<Picture[]>([]);
  /** All but the newest, which is shown large; with a search, all. */
  days = $state.raw<Day[]>([]);
  more = $state(false);
  search = $state("");
  loaded = $state(false);
  /** The wish that is being made, or that failed. */
  turn = $state<Turn | null>(null);
  problem = $state("");
  /** What was removed last, as long as the page offers to bring it back. */
  undo = $state<{ what: string; id: string } | null>(null);
  readonly running = $derived(!!this.turn?.running);

  constructor() {
    void this.refresh();
    this.#takeUp();
    const kept = Begun.kept();
    if (pageData.desk?.pictures.take && kept) {
      this.begun.id = kept;
      this.given.show();
    }
  }

  /** Goes on with a wish that was on its way when the page was left. */
  #takeUp() {
    const kept = JSON.parse(localStorage.getItem(makingKey) ?? "null") as Kept | null;
    if (!kept) return;
    if (kept.id) {
      const turn = new Turn(kept.words);
      turn.id = kept.id;
      this.turn = turn;
      void this.#follow(this.turn, api.watch(kept.id, ""), false);
    } else if (kept.asked && Date.now() - kept.asked.at < stillWished) void this.#ask(kept.words, kept.asked);
    else localStorage.removeItem(makingKey);
  }

  /** Wishes. Whether the page is left before the answer begins or after: the same key is
   *  the same wish, so that it is made once. */
  #ask(words: string, asked: Asked): Promise<boolean> {
    const kept: Kept = { words, asked };
    localStorage.setItem(makingKey, JSON.stringify(kept));
    this.turn = new Turn(words);
    return this.#follow(this.turn, api.ask(words, asked.conversation, asked.key, "", {}, asked.inputs), true);
  }

  /** How often the list was asked for: an answer that was overtaken is old. */
  #asked = 0;

  /** Reads the list anew, from the newest on. */
  async refresh() {
    const asked = ++this.#asked;
    try {
      const g = await api.listGallery(this.search, "", perPage);
      if (asked !== this.#asked) return;
      this.#show(g.pictures.filter((p) => !this.#removed.has(p.id)));
      this.more = g.more;
      this.loaded = true;
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.general.onTheWay;
    }
  }

  #show(list: Picture[]) {
    this.list = list;
    this.days = byDay(this.search ? list : list.slice(1));
  }

  /** Adds older ones. */
  async extend() {
    const last = this.list.at(-1);
    if (!last || !this.more) return;
    const { search } = this;
    const g = await api.listGallery(search, last.id, perPage);
    if (search !== this.search || this.list.at(-1) !== last) return;
    this.list = [...this.list, ...g.pictures];
    this.days = byDay(g.pictures, this.days);
    this.more = g.more;
  }

  async make(w: Wish): Promise<boolean> {
    this.problem = "";
    await this.given.settled;
    const fromPicture = pageData.desk?.depicts?.from === "picture";
    const inputs: Record<string, string> = { number: String(w.number) };
    if (w.seed) inputs.seed = w.seed;
    if (w.mask) inputs.mask = `media:${w.mask}`;
    if (fromPicture && w.words) inputs.change = w.words;
    if (!fromPicture) inputs.format = w.format;
    const words = w.words || say.gallery.variations;
    return this.#ask(words, {
      conversation: fromPicture ? this.begun.id : "",
      key: crypto.randomUUID?.() ?? String(Math.random()),
      inputs,
      at: Date.now(),
    });
  }

  async #follow(turn: Turn, stream: Promise<Response>, asking: boolean): Promise<boolean> {
    try {
      await turn.follow(
        stream,
        (b) => {
          const kept: Kept = { id: b.turn, words: turn.question };
          localStorage.setItem(makingKey, JSON.stringify(kept));
          Begun.over();
        },
        asking,
      );
    } catch (e) {
      turn.fail(e);
    }
    if (!leaving) localStorage.removeItem(makingKey);
    if (turn.state === "done" || turn.state === "stopped") {
      if (this.turn === turn) this.turn = null;
      await this.refresh();
      return true;
    }
    await this.refresh();
    return false;
  }

  async stop() {
    await this.turn?.stop();
  }

  /** What was removed here, which answers that are still on their way may hold. */
  readonly #removed = new Set<string>();

  async remove(p: Picture) {
    try {
      await api.putAwayPicture(p.id);
      this.#removed.add(p.id);
      this.#show(this.list.filter((o) => o.id !== p.id));
      this.undo = { what: say.gallery.removed(p.made?.words ?? p.name), id: p.id };
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.general.onTheWay;
    }
  }

  async bringBack() {
    const { id } = this.undo!;
    this.undo = null;
    await api.restorePicture(id);
    this.#removed.delete(id);
    await this.refresh();
  }

  /** Goes on with a picture at another desk. */
  async goOn(slug: string, p: Picture) {
    try {
      const { conversation } = await api.givePictureAt(slug, p.id);
      localStorage.setItem(`juvalogos-begun:${slug}`, conversation);
      location.assign(`${pageData.base}/at/${slug}`);
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.general.onTheWay;
    }
  }

  /** Makes variations of a picture here. */
  async like(p: Picture) {
    try {
      const { conversation, pictures } = await api.givePictureAt(pageData.slug, p.id);
      this.begun.id = "";
      this.begun.announced(conversation);
      this.given.list = pictures;
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.general.onTheWay;
    }
  }
}
