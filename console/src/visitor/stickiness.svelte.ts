/** How near the end, in px, counts as being there. */
const near = 60;

/**
 * Keeps the end of a growing page in view from stick() on until the reader
 * scrolls up, and again once the reader is back at the end.
 */
export class Stickiness {
  stuck = $state(false);
  /** The whole page is in view. */
  whole = $state(true);
  #last = 0;

  constructor() {
    addEventListener("scroll", () => this.#scrolled(), { passive: true });
    new ResizeObserver(() => this.#grown()).observe(document.body);
  }

  /** Goes to the end and stays there. */
  stick() {
    this.stuck = true;
    this.#grown();
  }

  #scrolled() {
    const page = document.documentElement;
    const atEnd = page.scrollHeight - innerHeight - scrollY < near;
    if (scrollY < this.#last - 1 && !atEnd) this.stuck = false;
    else if (atEnd) this.stuck = true;
    this.#last = scrollY;
  }

  #grown() {
    this.whole = document.documentElement.scrollHeight <= innerHeight;
    if (!this.stuck) return;
    scrollTo({ top: document.documentElement.scrollHeight, behavior: "instant" });
    this.#last = scrollY;
  }
}
