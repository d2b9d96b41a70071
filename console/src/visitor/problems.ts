import type { Schemas } from "../pageData";

/** Problems that are the question's own: they stay as they are however often a
 *  reply to it is written. */
const own = new Set([
  "question-too-long",
  "too-long",
  "declined",
  "empty-question",
  "invalid",
  "not-offered",
  "too-much",
]);

/** Whether writing the reply again may help. */
export const mayHelpAgain = (problem: Schemas["Trouble"]) => !own.has(problem.code);
