import type { Schemas } from "../pageData";
import { fromService, say } from "../words";
import { isNumber, shown } from "./cells";
import type { Mark } from "./marks";

/** The numbers of a reply with what they follow from, as the part "figures" has them. */
export type Figures = Schemas["Figures"];

/** Those of a turn's parts; null if there are none. */
export function figuresOf(parts: Schemas["Part"][]): Figures | null {
  return (parts.find((p) => p.type === "figures")?.value as Figures | undefined) ?? null;
}

const begin = "\uE003";
const between = "\uE004";
const end = "\uE005";

/** The signs around a reply's numbers. */
export function figureMarks(figures: Figures): Mark[] {
  return figures.numbers.flatMap((n, i) =>
    n.holds && n.row < 0
      ? []
      : [
          { at: n.from, order: 3, sign: begin + i + between },
          { at: n.to, order: 0, sign: end },
        ],
  );
}

/** A note of the margin: a number of a reply, and where in the table it stands. */
export interface RowsNote {
  row: number;
  column: number;
  /** As the reply says it. */
  said: string;
  /** What it is of: the column, and the texts of its row. */
  of: string;
  /** Where it begins in the reply, in bytes. */
  at: number;
}

/** The notes of a reply's numbers that stand in the table, in their order; each cell once. */
export function rowsNotesOf(text: string, figures: Figures, result: Schemas["TableResult"]): RowsNote[] {
  const bytes = new TextEncoder().encode(text);
  const all: RowsNote[] = [];
  for (const n of figures.numbers) {
    const column = result.columns[n.column];
    const row = result.rows[n.row];
    if (!n.holds || !column || !row || column.group) continue;
    if (all.some((o) => o.row === n.row && o.column === n.column)) continue;
    // What the row is grouped by, and its texts, say which one it is.
    const which = result.columns.flatMap((c, i) =>
      i !== n.column && row[i] && (c.group || !isNumber(c.kind)) ? [shown(row[i], c)] : [],
    );
    all.push({
      row: n.row,
      column: n.column,
      said: new TextDecoder().decode(bytes.subarray(n.from, n.to)),
      of: [column.title, ...which].join(", "),
      at: n.from,
    });
  }
  return all;
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
