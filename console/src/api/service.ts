import { fromService, say } from "../words";
import createClient from "openapi-fetch";
import { pageData, type Schemas } from "../pageData";
import type { paths } from "./schema";

/** An error with a sentence that the reader may see. */
export class Trouble extends Error {
  constructor(
    readonly code: string,
    readonly detail: string,
    readonly id = "",
    /** Trying again later may help: the service is away or not quite itself. */
    readonly passing = false,
    /** What is wrong with a file. */
    readonly problems: Schemas["FileProblems"] = [],
  ) {
    super(detail);
  }
}

/** The token that changes by a signed-in maker carry; the console sets it. */
export const csrf = { token: "" };

/** What a refusal says, for the reader. */
export function troubleOf(status: number, problem: Partial<Schemas["Problem"]>, otherwise: string): Trouble {
  return new Trouble(
    problem.code ?? "unexpected",
    fromService(problem.phrase, problem.detail ?? otherwise),
    problem.id,
    status >= 500,
    problem.problems,
  );
}

/**
 * The service's API as openapi.yaml describes it: addresses, what is sent and
 * what comes back are checked when the console is built. A refusal becomes
 * Trouble, so data is there whenever a call returns.
 */
export const service = createClient<paths>({ baseUrl: pageData.base, credentials: "same-origin" });

service.use({
  onRequest({ request }) {
    if (csrf.token && request.method !== "GET") request.headers.set("X-CSRF-Token", csrf.token);
  },
  async onResponse({ response }) {
    if (response.ok) return;
    const problem = await response.json().catch(() => ({}));
    throw troubleOf(response.status, problem, say.general.onTheWay);
  },
  onError({ request, error }) {
    if (error instanceof Trouble || request.signal.aborted) return;
    return new Trouble("offline", say.general.offline, "", true);
  },
});

/** What a call brings back. */
export async function data<T>(call: Promise<{ data?: T }>): Promise<T> {
  return (await call).data as T;
}

/** Headers and reading of an answer that is an event stream. */
export const streamed = { headers: { Accept: "text/event-stream" }, parseAs: "stream" } as const;

/** A text of another type than JSON, sent as it is. */
export const asYAML = {
  headers: { "Content-Type": "application/yaml" },
  bodySerializer: (text: unknown) => text as string,
};
