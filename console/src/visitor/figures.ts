import type { Schemas } from "../pageData";
import { fromService, say } from "../words";

/** The numbers of a reply with what they follow from, as the part "figures" has them. */
export type Figures = Schemas["Figures"];

/** Those of a turn's parts; null if there are none. */
export function figuresOf(parts: Schemas["Part"][]): Figures | null {
  return (parts.find((p) => p.type === "figures")?.value as Figures | undefined) ?? null;
}

const begin = "\uE003";
const between = "\uE004";
const end = "\uE005";

/** Puts signs around a reply's numbers that survive rendering; offsets are in bytes of UTF-8. */
export function withFigures(text: string, figures: Figures): string {
  const bytes = new TextEncoder().encode(text);
  const decoder = new TextDecoder();
  let out = "";
  let last = 0;
  figures.numbers.forEach((n, i) => {
    if (n.from < last || n.to > bytes.length || (n.holds && n.row < 0)) return;
    out += decoder.decode(bytes.subarray(last, n.from));
    out += begin + i + between + decoder.decode(bytes.subarray(n.from, n.to)) + end;
    last = n.to;
  });
  return out + decoder.decode(bytes.subarray(last));
}

/** Makes elements of the signs: of a number that stands in the table a button that shows where,
 *  of one that follows from nothing a mark. */
export function showFigures(html: string, figures: Figures): string {
  const escape = (text: string) => text.replace(/&/g, "&amp;").replace(/"/g, "&quot;").replace(/</g, "&lt;");
  return html
    .replace(/\uE003(\d+)\uE004([\s\S]*?)\uE005/g, (_, number: string, inner: string) => {
      const n = figures.numbers[+number];
      if (!n) return inner;
      if (!n.holds) {
        const spoken = `<span class="sr-only">${say.tables.looseSpoken}</span>`;
        return `<span class="loose" title="${say.tables.loose}">${inner}${spoken}</span>`;
      }
      const says = escape(fromService(n.says, n.says?.form ?? ""));
      return `<button type="button" class="figure" title="${says}" data-row="${n.row}" data-column="${n.column}">${inner}</button>`;
    })
    .replace(/[\uE003-\uE005]/g, "");
}
