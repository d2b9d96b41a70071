import { fromService, say } from "../words";
import { Trouble } from "../api/service";
import { upload, type NamedFile } from "../api/upload";
import * as api from "../api/visiting";
import type { Schemas } from "../pageData";
import type { Begun } from "./begun.svelte";

/** The documents that the visitor attached to the conversation on the page. */
export class Attached {
  /** The conversation that they are attached to. */
  readonly begun: Begun;
  documents = $state<Schemas["Attachment"][]>([]);
  /** How much of what is being sent has been, 0 to 1; null: nothing is. */
  sent = $state<number | null>(null);
  problem = $state("");
  readonly reading = $derived(this.documents.some((d) => d.state === "waiting" || d.state === "reading"));
  /** Is called when the documents have been read, or one was removed. */
  onread: () => void = () => {};
  #timer: ReturnType<typeof setTimeout> | undefined;

  constructor(begun: Begun) {
    this.begun = begun;
  }

  /** Shows what is attached to the conversation. */
  show() {
    this.documents = [];
    this.problem = "";
    void this.#refresh();
  }

  async add(files: NamedFile[]) {
    if (!files.length || this.sent !== null) return;
    this.problem = "";
    this.sent = 0;
    try {
      const { conversation, added } = await upload<Schemas["Attached"]>(
        api.attachments(this.begun.id),
        files,
        (part) => (this.sent = part),
      );
      this.begun.announced(conversation);
      this.problem = added
        .filter((a) => a.problem)
        .map((a) => say.attachments.notAttached(a.name, fromService(a.phrase, a.problem)))
        .join(" ");
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.attachments.notSent;
    } finally {
      this.sent = null;
    }
    await this.#refresh();
  }

  async remove(document: number) {
    try {
      await api.detach(this.begun.id, document);
    } catch (e) {
      if (e instanceof Trouble) this.problem = e.detail;
    }
    await this.#refresh();
  }

  /** Reads the list anew, again and again as long as something is being read. */
  async #refresh() {
    clearTimeout(this.#timer);
    const { id } = this.begun;
    if (!id) return;
    try {
      const documents = await api.listAttached(id);
      if (id === this.begun.id) this.documents = documents;
    } catch {
      // What is attached stays attached; the list is read again below.
    }
    if (id === this.begun.id && !this.reading) this.onread();
    if (id === this.begun.id && this.reading) this.#timer = setTimeout(() => void this.#refresh(), 500);
  }
}
