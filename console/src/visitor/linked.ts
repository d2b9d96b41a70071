import { pageData, type Schemas } from "../pageData";

/** What a link to the page wants read: nothing is fetched before the visitor says so. */
export interface Linked {
  wish: Schemas["Wish"];
  /** Where it is looked for; "" for an address. */
  from: string;
  /** Whether the desk reads such things. */
  offered: boolean;
}

/** Reads it from the address of the page: ?topic=, ?search= or ?address=, with ?source=
 *  where the desk has several; null if there is none. */
export function askedByLink(desk: Schemas["Face"], query = location.search): Linked | null {
  const said = new URLSearchParams(query);
  const source = said.get("source") ?? "";
  for (const kind of ["topic", "search"] as const) {
    const about = said.get(kind)?.trim().slice(0, 500);
    if (!about) continue;
    const from = desk.bring.sources.find((s) => s.kind === kind && (!source || s.title === source));
    return { wish: { kind, about, source: from?.title }, from: from?.title ?? "", offered: !!from };
  }
  const about = said.get("address")?.trim().slice(0, 2000);
  if (!about) return null;
  return { wish: { kind: "address", about }, from: "", offered: desk.bring.addresses };
}

/** Whether the address of the page wants something read. */
export const linksToSomething = () =>
  ["topic", "search", "address"].some((key) => new URLSearchParams(location.search).get(key)?.trim());

/** Takes it out of the address, so that a reload does not ask again. */
export function forgetLink() {
  history.replaceState(null, "", pageData.base + "/at/" + pageData.slug);
}
