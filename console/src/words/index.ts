import { en } from "./en";
import { filled } from "./forms";

/** Every word that a visitor reads, in one language. */
export type Words = typeof en;

/** The languages that there are. Another one is a file beside en.ts, of the
 *  type Words, and a line here. */
const languages: Record<string, Words> = { en };

/** Something that the service says: its form and the values that stand in it. */
interface Phrase {
  form: string;
  with?: string[];
}

/** What is said, in the language of the page. */
export const say: Words = languages[document.documentElement.lang] ?? en;

/** What the service says, in the language of the page; if the page does not
 *  know it, as the service wrote it. */
export function fromService(phrase: Phrase | undefined, asWritten = ""): string {
  const known = phrase && (say.service as Record<string, string>)[phrase.form];
  return known ? filled(known, phrase.with ?? []) : asWritten;
}
