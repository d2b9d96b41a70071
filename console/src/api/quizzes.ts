import { pageData } from "../pageData";
import { data, service } from "./service";

// What the pages of quizzes ask of the service.

/** What a quiz is. */
export const toTake = (take: string) => data(service.GET("/api/quiz/{take}", { params: { path: { take } } }));

/** Begins to take it. */
export const begin = (take: string, name: string) =>
  data(service.POST("/api/quiz/{take}/sittings", { params: { path: { take } }, body: { name } }));

/** Hands answers in. */
export const handIn = (id: string, answers: number[]) =>
  data(service.POST("/api/sittings/{id}", { params: { path: { id } }, body: { answers } }));

/** How a quiz went. */
export const results = (key: string) =>
  data(service.GET("/api/quiz-results/{results}", { params: { path: { results: key } } }));

/** The path of that as a file. */
export const resultsFile = (key: string) =>
  `${pageData.base}/api/quiz-results/${encodeURIComponent(key)}/csv`;
