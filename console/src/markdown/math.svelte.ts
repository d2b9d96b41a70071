import type * as Formulas from "./formulas";

/** Whether a text may hold formulas. */
export const hasMath = (text: string) => /\$|\\\(|\\\[/.test(text);

class Math {
  #formulas = $state.raw<typeof Formulas | null>(null);
  #asked = false;

  /** Fetches what sets formulas. */
  load() {
    if (this.#asked) return;
    this.#asked = true;
    void import("./formulas").then((m) => (this.#formulas = m));
  }

  /** Sets the formulas in safe HTML; until they can be set they stay as written. */
  set(html: string): string {
    return this.#formulas && html.includes("data-tex") ? this.#formulas.typeset(html) : html;
  }
}

export const math = new Math();
