import { pageData, type Schemas } from "../pageData";
import { data, service } from "./service";

// What the console asks of the service about quizzes that were given, and about runs.

const id = (id: string) => ({ params: { path: { id } } });

export const listQuizzes = async () => (await data(service.GET("/api/quizzes"))).quizzes;
export const readQuiz = (quiz: string) => data(service.GET("/api/quizzes/{id}", id(quiz)));
export const giveQuiz = (quiz: Schemas["Quiz"], names: boolean) =>
  data(service.POST("/api/quizzes", { body: { quiz, names } }));
export const changeQuiz = (which: string, quiz: Schemas["Quiz"], names: boolean) =>
  data(service.PUT("/api/quizzes/{id}", { ...id(which), body: { quiz, names } }));
export const withdrawQuiz = (quiz: string) => service.DELETE("/api/quizzes/{id}", id(quiz));
export const restoreQuiz = (quiz: string) => service.POST("/api/quizzes/{id}/restore", id(quiz));

export type QuizFormat = "json" | "csv" | "qti";

/** The path of a quiz as a file. */
export const quizFile = (quiz: string, format: QuizFormat) =>
  `${pageData.base}/api/quizzes/${quiz}/as/${format}`;

/** A quiz out of a file, with what was left out of that and what speaks against its questions. */
export const readFile = (format: QuizFormat, title: string, body: Blob | string) =>
  data(
    service.POST("/api/quiz-files/{format}", {
      params: { path: { format }, query: { title } },
      body: body as unknown as string,
      bodySerializer: (b) => b as unknown as string,
      headers: { "Content-Type": "application/octet-stream" },
    }),
  );

/** What speaks against each question of a quiz. */
export const flawsOf = async (quiz: Schemas["Quiz"]) =>
  (await readFile("json", quiz.title, JSON.stringify(quiz))).flaws;

export const listRuns = async (quiz = "") =>
  (await data(service.GET("/api/runs", { params: { query: { quiz: quiz || undefined } } }))).runs;
export const beginRun = (body: Schemas["NewRun"]) => data(service.POST("/api/runs", { body }));
export const readRun = (run: string) => data(service.GET("/api/runs/{id}", id(run)));
export const stopRun = (run: string) => service.POST("/api/runs/{id}/stop", id(run));
export const resumeRun = (run: string) => service.POST("/api/runs/{id}/resume", id(run));
export const removeRun = (run: string) => service.DELETE("/api/runs/{id}", id(run));

/** The path of a run's answers as CSV. */
export const runFile = (run: string) => `${pageData.base}/api/runs/${run}/csv`;
