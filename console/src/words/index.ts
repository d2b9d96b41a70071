import { en } from "./en";

/** Every word that a visitor reads, in one language. */
export type Words = typeof en;

/** The languages that there are. Another one is a file beside en.ts, of the
 *  type Words, and a line here. */
const languages: Record<string, Words> = { en };

/** What is said, in the language of the page. */
export const say: Words = languages[document.documentElement.lang] ?? en;
