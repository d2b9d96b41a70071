import { Trouble } from "../api/service";
import * as api from "../api/visiting";
import type { Schemas } from "../pageData";
import { say } from "../words";
import type { Begun } from "./begun.svelte";

type Kind = Schemas["TableColumn"]["kind"];

/** Tables that can be looked at, and whose columns can be put right. */
export interface TablesShown {
  documents: Schemas["Tabled"][];
  /** Why something could not be put right; or "". */
  problem: string;
  /** The document whose columns are being read anew; 0: none. */
  changing: number;
  /** Says what kind of values a column has; "": as it seems to be. */
  putRight(document: number, table: string, column: string, kind: Kind | ""): Promise<void>;
}

/** The tables that questions on the page can be asked of. */
export class Tables implements TablesShown {
  readonly #begun: Begun;
  documents = $state<Schemas["Tabled"][]>([]);
  /** Questions that fit them. */
  openers = $state<string[]>([]);
  problem = $state("");
  /** The document whose columns are being read anew; 0: none. */
  changing = $state(0);

  constructor(begun: Begun) {
    this.#begun = begun;
  }

  /** Those of a document; nothing if it has none. */
  of(document: number) {
    return this.documents.find((d) => d.document === document);
  }

  /** Reads what there is; the engine is started for it meanwhile. */
  async refresh() {
    const { id } = this.#begun;
    try {
      const found = await api.tables(id);
      if (id !== this.#begun.id) return;
      this.documents = found.documents;
      this.openers = found.openers;
    } catch {
      // What is there is asked all the same.
    }
  }

  /** Says what kind of values a column has; "": as it seems to be. */
  async putRight(document: number, table: string, column: string, kind: Kind | "") {
    this.problem = "";
    this.changing = document;
    try {
      const now = await api.putColumnRight(this.#begun.id, document, { table, column, kind });
      this.documents = this.documents.map((d) => (d.document === document ? now : d));
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : say.tables.notChanged;
    } finally {
      this.changing = 0;
    }
  }
}
