import { pageData } from "../pageData";

const key = `juvalogos-begun:${pageData.slug}`;

/** The conversation on the page, or one that is still to begin: something was
 *  attached to it, or brought into it. This browser remembers it until then. */
export class Begun {
  /** Its id; "": there is none yet. */
  id = $state("");

  /** The one that was to begin when the page was left; or "". */
  static kept(): string {
    return localStorage.getItem(key) ?? "";
  }

  /** The service has made an id for a conversation that is to begin. */
  announced(id: string) {
    if (this.id === id) return;
    this.id = id;
    localStorage.setItem(key, id);
  }

  /** It has begun, or is given up. */
  static over() {
    localStorage.removeItem(key);
  }
}
