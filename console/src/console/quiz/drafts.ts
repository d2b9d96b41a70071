import type { Schemas } from "../../pageData";

// Quizzes that are being written, kept by the browser until they are given.

const key = (id: string) => `juvalogos-quiz-draft:${id}`;

/** What a maker has changed and not given yet. */
export interface Draft {
  quiz: Schemas["Quiz"];
  names: boolean;
  /** The edition that was changed; 0: a new quiz. */
  edition: number;
  /** What was left out of the file that it came from. Default: nothing. */
  left?: string[];
}

/** The name under which a quiz is kept that is not on record yet. */
export const newQuiz = "new";

export function draftOf(id: string): Draft | null {
  try {
    return JSON.parse(localStorage.getItem(key(id)) ?? "null") as Draft | null;
  } catch {
    return null;
  }
}

export const keepDraft = (id: string, d: Draft) => localStorage.setItem(key(id), JSON.stringify(d));
export const dropDraft = (id: string) => localStorage.removeItem(key(id));
