import { fromService, say } from "../words";
import { Trouble } from "../api/service";
import { upload, type NamedFile } from "../api/upload";
import * as api from "../api/visiting";
import { pageData, type Schemas } from "../pageData";
import type { Begun } from "./begun.svelte";

/** After how long, in ms, it is looked whether a picture has been described. */
const describedAfter = 6000;

export type Picture = Schemas["Picture"];

/** The pictures that questions on the page are asked with. */
export class Pictures {
  /** The conversation that they are given to. */
  readonly begun: Begun;
  list = $state<Picture[]>([]);
  /** How much of what is being sent has been, 0 to 1; null: nothing is. */
  sent = $state<number | null>(null);
  problem = $state("");
  /** What is to be known of the picture given last. */
  told = $state("");
  /** Settles once nothing is being sent any more. */
  settled: Promise<void> = Promise.resolve();

  constructor(begun: Begun) {
    this.begun = begun;
  }

  /** Shows those of the conversation. */
  show() {
    this.list = [];
    this.problem = this.told = "";
    void this.refresh();
  }

  /** Reads them anew: what is remembered no longer is gone. */
  async refresh() {
    const { id } = this.begun;
    if (!id) return;
    try {
      const list = await api.listPictures(id);
      if (id !== this.begun.id) return;
      const gone = this.list.filter((p) => !list.some((o) => o.id === p.id));
      this.list = list;
      if (gone.length) this.told = gone.map((p) => say.pictures.over(p.name)).join(" ");
    } catch {
      // They stay as they are shown; the next question reads them again.
    }
  }

  add(files: NamedFile[]): Promise<void> {
    if (!files.length) return Promise.resolve();
    return this.#take(() =>
      upload<Schemas["PicturesGiven"]>(api.pictures(this.begun.id), files, (part) => (this.sent = part)),
    );
  }

  /** Gives a page of a document that was attached. */
  addPage(document: number, page: number): Promise<void> {
    return this.#take(() => api.addPage(this.begun.id, document, page));
  }

  /** Gives the picture that an opener, counted from 1, is asked with. */
  addOpener(opener: number): Promise<void> {
    return this.#take(() => api.addOpenerPicture(this.begun.id, opener));
  }

  /** Sends one after the other, so that none is taken for another's. */
  #take(send: () => Promise<Schemas["PicturesGiven"]>): Promise<void> {
    const taken = this.settled.then(async () => {
      this.problem = this.told = "";
      this.sent = 0;
      try {
        const { conversation, pictures, replaced, refused } = await send();
        this.begun.announced(conversation);
        this.list = pictures;
        this.told = replaced.map(say.pictures.replaced).join(" ");
        if (pageData.desk?.pictures.by_model) setTimeout(() => void this.refresh(), describedAfter);
        this.problem = refused
          .map((r) => say.pictures.notTaken(r.name, fromService(r.phrase, r.problem)))
          .join(" ");
      } catch (e) {
        this.problem = e instanceof Trouble ? e.detail : say.pictures.notSent;
      } finally {
        this.sent = null;
      }
    });
    this.settled = taken;
    return taken;
  }

  async putAway(id: string) {
    this.problem = this.told = "";
    try {
      await api.putAwayPicture(id);
      this.list = this.list.filter((p) => p.id !== id);
    } catch (e) {
      if (e instanceof Trouble) this.problem = e.detail;
    }
  }
}

/** Where a picture's file is; small as pages show it. */
export const fileOf = (id: string, small = false) =>
  pageData.base +
  (pageData.shared ? `/api/shared/${pageData.shared}/pictures/${id}` : `/api/pictures/${id}/file`) +
  (small ? "?size=small" : "");

/** What a picture is for those who cannot see it. */
export const altOf = (p: Picture) => p.alt || say.pictures.nameless(p.name);

/** The files among some that are pictures, and the others. */
export function pictured(files: File[]): { pictures: File[]; others: File[] } {
  const is = (f: File) =>
    f.type.startsWith("image/") || /\.(hei[cf]|jpe?g|png|webp|gif|bmp|tiff?)$/i.test(f.name);
  return { pictures: files.filter(is), others: files.filter((f) => !is(f)) };
}

/** The pictures that are shown large, and which of them; none: nothing is. */
export const viewing = $state<{ pictures: Picture[]; at: number; own: boolean }>({
  pictures: [],
  at: 0,
  own: false,
});

/** Shows pictures large. own says that the visitor may say what they show. */
export function view(pictures: Picture[], at: number, own: boolean) {
  Object.assign(viewing, { pictures, at, own });
}
