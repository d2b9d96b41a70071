/** A desk that was opened in this browser. */
interface Visited {
  slug: string;
  title: string;
}

const key = "juvalogos-visited";

/** How many are remembered. */
const most = 8;

/** The desks that were opened in this browser, the last one first. */
export function visitedDesks(): Visited[] {
  try {
    const list: unknown = JSON.parse(localStorage.getItem(key) ?? "[]");
    return Array.isArray(list)
      ? list.filter((d): d is Visited => typeof d?.slug === "string" && typeof d?.title === "string")
      : [];
  } catch {
    return []; // not ours, or nothing may be kept here
  }
}

/** Remembers that a desk was opened. */
export function visit(desk: Visited) {
  const others = visitedDesks().filter((d) => d.slug !== desk.slug);
  try {
    localStorage.setItem(
      key,
      JSON.stringify([{ slug: desk.slug, title: desk.title }, ...others].slice(0, most)),
    );
  } catch {
    // Nothing may be kept here; then it is not remembered.
  }
}
