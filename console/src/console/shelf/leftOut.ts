import type { Schemas } from "../../pageData";

type Document = Schemas["Document"];
type Omission = Schemas["LeftOut"];

/** Below which share of a document's words its maker is warned. */
const least = 0.98;

/** Whether much of what a reader of the original reads is missing. */
export const lost = (d: Document) => d.state === "ready" && d.share !== undefined && d.share < least;

/** How much was read, rounded down: all is all only where nothing is missing. */
export const shareOf = (d: Document) =>
  d.share === undefined
    ? ""
    : `${(Math.floor(d.share * 1000) / 10).toLocaleString("en", { maximumFractionDigits: 1 })} %`;

const reasons: Record<Omission["why"], string> = {
  navigation: "menus",
  header: "the header of the page, or of pages",
  footer: "the footer of the page, or of pages",
  repeated: "stands on many of its pages",
  "page-numbers": "numbers of pages",
  contents: "lists of contents and indexes; shown, but not searched",
  shared: "stands in many documents of this shelf; shown, but not searched",
  comments: "comments of those who worked on it",
  deleted: "deleted by changes that are tracked",
  unseen: "what no reader sees",
  pictures: "pictures in it, whose words are not read",
  blank: "pages on which no text was found, not even in their pictures",
  unreadable: "letters that nobody can tell: the file does not say which they are",
  computed: "rows of tables; worked out where they are asked for, not searched",
  missing: "parts that are broken, or that the file names and does not have; estimated",
  lost: "could not be placed",
};

/** Whether it was left out by mistake, not on purpose. */
export const missed = (o: Omission) => ["lost", "unreadable", "missing"].includes(o.why);

/** Whether the sample is not all of it. */
export const cut = (o: Omission) => (o.words ?? 0) > (o.sample ?? "").split(/\s+/).length;

/** What was left out and why. */
export const reasonOf = (o: Omission) => reasons[o.why];

/** How much of it there is. */
export function amountOf(o: Omission): string {
  const n = o.words || o.count || 0;
  const what = o.words ? "word" : o.why === "pictures" ? "picture" : o.why === "computed" ? "row" : "page";
  return `${n.toLocaleString("en")} ${what}${n === 1 ? "" : "s"}`;
}

/** All of it, in a few words. */
export function summaryOf(left: Omission[]): string {
  const words = left.reduce((sum, o) => sum + (o.words ?? 0), 0);
  const pictures = left.find((o) => o.why === "pictures")?.count ?? 0;
  const parts = [];
  if (words) parts.push(`${words.toLocaleString("en")} ${words === 1 ? "word" : "words"}`);
  if (pictures) parts.push(`${pictures} ${pictures === 1 ? "picture" : "pictures"}`);
  const blank = left.find((o) => o.why === "blank")?.count ?? 0;
  if (blank) parts.push(`${blank} empty ${blank === 1 ? "page" : "pages"}`);
  return parts.join(", ");
}
