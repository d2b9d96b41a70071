import { Trouble } from "../../api/service";
import * as api from "../../api/shelves";
import type { Schemas } from "../../pageData";
import type { TablesShown } from "../../visitor/tables.svelte";

/** The tables of a shelf's documents, for makers. */
export class ShelfTables implements TablesShown {
  readonly #slug: string;
  documents = $state<Schemas["Tabled"][]>([]);
  problem = $state("");
  changing = $state(0);

  constructor(slug: string) {
    this.#slug = slug;
  }

  async refresh() {
    try {
      this.documents = await api.tablesOn(this.#slug);
    } catch {
      // The documents are listed all the same.
    }
  }

  async putRight(document: number, table: string, column: string, kind: Schemas["ColumnGiven"]["kind"]) {
    this.problem = "";
    this.changing = document;
    try {
      const now = await api.putColumnRight(this.#slug, document, { table, column, kind });
      this.documents = this.documents.map((d) => (d.document === document ? now : d));
    } catch (e) {
      this.problem = e instanceof Trouble ? e.detail : "The column could not be changed. Try again.";
    } finally {
      this.changing = 0;
    }
  }
}
