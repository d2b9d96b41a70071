import { say } from "../words";
import type { Schemas } from "../pageData";
import type { Mark } from "./marks";

/** A reply's sentences with the passages they rest on, as the part "sources" has them. */
export type Sources = Schemas["Sources"];
export type Note = Schemas["SourceNote"];
export type Passage = Schemas["SourcePassage"];

export function sourcesOf(parts: Schemas["Part"][]): Sources | null {
  return (parts.find((p) => p.type === "sources")?.value as Sources | undefined) ?? null;
}

/** Words of a document, as it is opened at them. */
export interface Shown {
  passage: Passage;
  place: string;
  quote: string;
  marks: Schemas["SourceMark"][];
}

/** A note of the margin: the words of a passage, and the sentences that it says, or says otherwise. */
export interface MarginNote extends Shown {
  /** All that the sentences rest on; quote is the first. */
  quotes: string[];
  sentences: number[];
  otherwise: boolean;
}

/** The notes of a reply, in the order of its sentences; each passage once, and once more if it says otherwise. */
export function notesOf(sources: Sources): MarginNote[] {
  const all: MarginNote[] = [];
  sources.sentences.forEach((s, i) => {
    s.notes.forEach((n) => {
      const passage = sources.passages.find((p) => p.number === n.passage);
      const otherwise = s.support === "contradicted";
      const known = all.find((m) => m.passage === passage && m.otherwise === otherwise);
      if (known) {
        if (!known.sentences.includes(i)) known.sentences.push(i);
        if (known.quotes.includes(n.quote)) return;
        known.quotes.push(n.quote);
        known.marks = [...known.marks, ...(n.marks ?? [])];
      } else if (passage)
        all.push({
          passage,
          place: placeOf(n.place ?? passage.place, n.section ?? "", passage.title),
          quote: n.quote,
          quotes: [n.quote],
          marks: n.marks ?? [],
          sentences: [i],
          otherwise,
        });
    });
  });
  return all;
}

const begin = "\uE000";
const between = "\uE001";
const end = "\uE002";
const listMark = /^\s*(?:[-*+]\s+|\d+[.)]\s+|#+\s+|>\s+)+/;

/** Where the cells of a row of Markdown are in it; those with nothing in them are left out. */
function cellsOf(row: string): [number, number][] {
  const all: [number, number][] = [];
  for (let from = row.indexOf("|") + 1, to = row.indexOf("|", from); to >= 0;) {
    const cell = row.slice(from, to);
    if (cell.trim()) all.push([from + cell.length - cell.trimStart().length, from + cell.trimEnd().length]);
    from = to + 1;
    to = row.indexOf("|", from);
  }
  return all;
}

/** The signs around a reply's sentences; in a row of a table, around each of its cells. */
export function claimMarks(text: string, sources: Sources): Mark[] {
  const bytes = new TextEncoder().encode(text);
  const decoder = new TextDecoder();
  return sources.sentences.flatMap((s, i) => {
    const sentence = decoder.decode(bytes.subarray(s.from, s.to));
    const mark = listMark.exec(sentence)?.[0] ?? "";
    const rest = sentence.slice(mark.length);
    if (s.to > bytes.length || s.support === "neutral" || !rest.trim()) return [];
    const behind = (length: number) => s.from + new TextEncoder().encode(sentence.slice(0, length)).length;
    const stretches: [number, number][] = rest.startsWith("|")
      ? cellsOf(sentence)
      : [[mark.length, sentence.length]];
    return stretches.flatMap(([from, to]) => [
      { at: behind(from), order: 2, sign: begin + i + between },
      { at: behind(to), order: 1, sign: end },
    ]);
  });
}

/** Makes elements of the signs, and of the numbers in square brackets within them. */
export function showClaims(html: string, sources: Sources): string {
  const told = new Set<string>(); // cells of a row are told of once
  return html
    .replace(/\uE000(\d+)\uE001([\s\S]*?)\uE002/g, (_, number: string, inner: string) => {
      const support = sources.sentences[+number]?.support;
      const refs = inner.replace(/\s*\[(\d+)\](?![^<]*>)/g, (_m, n: string) => `<sup class="ref">${n}</sup>`);
      const first = !told.has(number);
      told.add(number);
      if (support === "contradicted") {
        const otherwise = first ? ` <span class="otherwise">${say.margin.otherwise}</span>` : "";
        return `<span class="claim contradicted" data-claim="${number}">${refs}</span>${otherwise}`;
      }
      if (support !== "unsupported") return `<span class="claim" data-claim="${number}">${refs}</span>`;
      const title = say.margin.unsupported;
      const spoken = first ? `<span class="sr-only">${say.margin.unsupportedSpoken}</span>` : "";
      return `<span class="claim unsupported" data-claim="${number}" title="${title}">${refs}${spoken}</span>`;
    })
    .replace(/[\uE000-\uE002]/g, "");
}

/** Whether a reply has sentences that no document says, so that their lines are to be explained. */
export function dotted(text: string, sources: Sources): boolean {
  const signs = claimMarks(text, sources).filter((m) => m.sign !== end);
  return signs.some(
    (m) => sources.sentences[parseInt(m.sign.slice(begin.length))]?.support === "unsupported",
  );
}

/** Where something stands, for a reader: a line says nothing to who does not see the file. */
export function placeOf(place: string, section: string, title: string): string {
  const named = section && section !== title ? section : "";
  if (place.startsWith("line ") || (named && place.includes("paragraph "))) return named;
  return [named, place].filter(Boolean).join(", ");
}

/** The headings above a passage, without the document's title. */
export function sectionOf(p: Passage): string {
  return p.path
    .split(" > ")
    .filter((h) => h && h !== p.title)
    .join(", ");
}

/** When what a note quotes is said, in seconds; 0 if it has no times. */
export function timeOf(n: Shown): number {
  const mark = n.marks[0];
  const span = n.passage.spans.find((s) => !mark || s.block === mark.block);
  if (!span) return 0;
  const turns = (span.turns ?? []).filter((t) => t.at <= (mark?.from ?? 0));
  return turns.at(-1)?.time ?? span.time ?? 0;
}
