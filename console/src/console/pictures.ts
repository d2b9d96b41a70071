import { pageData, type Schemas } from "../pageData";

/** Where makers find a picture of anybody's; small as pages show it. */
export const pictureOf = (id: string, small = false) =>
  `${pageData.base}/api/record-pictures/${id}${small ? "?size=small" : ""}`;

/** The ids of the pictures that a run made, in their order. */
export function madeIn(t: Schemas["Inside"]): string[] {
  for (const s of [...t.spans].reverse()) {
    if (s.parent >= 0 || s.state !== "done") continue;
    const all = (s.out as Record<string, unknown> | undefined)?.pictures;
    if (Array.isArray(all)) return all.map((p) => String((p as { id?: string }).id ?? "")).filter(Boolean);
  }
  return [];
}
