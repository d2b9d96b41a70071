import { given, type Schemas } from "../given";

/** An error with a sentence that the reader may see. */
export class Trouble extends Error {
  constructor(
    readonly code: string,
    readonly detail: string,
    readonly id = "",
    /** Trying again later may help: the service is away or not quite itself. */
    readonly passing = false,
  ) {
    super(detail);
  }
}

const unreachable = () =>
  new Trouble("offline", "The service cannot be reached. Check your connection and try again.", "", true);

/** Sends a request below the service's base path; a refusal becomes Trouble. */
export async function request(path: string, init: RequestInit = {}): Promise<Response> {
  let response: Response;
  try {
    response = await fetch(given.base + path, { credentials: "same-origin", ...init });
  } catch (e) {
    if (init.signal?.aborted) throw e;
    throw unreachable();
  }
  if (response.ok) return response;
  const problem: Partial<Schemas["Problem"]> = await response.json().catch(() => ({}));
  throw new Trouble(
    problem.code ?? "unexpected",
    problem.detail ?? "Something went wrong on the way. Please try again.",
    problem.id,
    response.status >= 500,
  );
}

const at = () => `/api/at/${encodeURIComponent(given.slug)}`;

export async function listConversations(): Promise<Schemas["Conversation"][]> {
  return (await (await request(`${at()}/conversations`)).json()).conversations;
}

export async function readConversation(id: string): Promise<Schemas["Conversation"]> {
  return (await request(`/api/conversations/${id}`)).json();
}

/** Reads the shared conversation that this page is for. */
export async function readShared(): Promise<Schemas["Conversation"]> {
  return (await request(`/api/shared/${encodeURIComponent(given.shared)}`)).json();
}

/** Asks; the response is the reply's event stream. */
export function ask(question: string, conversation: string, key: string): Promise<Response> {
  return request(`${at()}/questions`, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "text/event-stream" },
    body: JSON.stringify({ question, conversation, key }),
  });
}

export function makeAgain(turn: string): Promise<Response> {
  return request(`/api/turns/${turn}/attempts`, { method: "POST", headers: { Accept: "text/event-stream" } });
}

/** Follows a turn's newest attempt; after is the id of the last event one has. */
export function watch(turn: string, after: string): Promise<Response> {
  const headers: Record<string, string> = { Accept: "text/event-stream" };
  if (after) headers["Last-Event-ID"] = after;
  return request(`/api/turns/${turn}/events`, { headers });
}

export async function stop(turn: string): Promise<void> {
  await request(`/api/turns/${turn}/stop`, { method: "POST" });
}

/** Deletes a conversation's last turn; answers with its question. */
export async function takeBack(turn: string): Promise<{ question: string; left: number }> {
  return (await request(`/api/turns/${turn}`, { method: "DELETE" })).json();
}

/** Makes one attempt the one that is shown and remembered. */
export async function choose(turn: string, attempt: number): Promise<Schemas["Turn"]> {
  return (await send("POST", `/api/turns/${turn}/choose`, { attempt })).json();
}

export async function rename(conversation: string, title: string): Promise<void> {
  await send("PATCH", `/api/conversations/${conversation}`, { title });
}

export async function remove(conversation: string): Promise<void> {
  await request(`/api/conversations/${conversation}`, { method: "DELETE" });
}

/** Makes a conversation readable by a link; returns its path. */
export async function share(conversation: string): Promise<string> {
  return (await (await request(`/api/conversations/${conversation}/share`, { method: "POST" })).json()).page;
}

/** Withdraws the link. */
export async function unshare(conversation: string): Promise<void> {
  await request(`/api/conversations/${conversation}/share`, { method: "DELETE" });
}

/** Brings a removed conversation back. */
export async function restore(conversation: string): Promise<void> {
  await request(`/api/conversations/${conversation}/restore`, { method: "POST" });
}

const send = (method: string, path: string, body: unknown) =>
  request(path, { method, headers: { "Content-Type": "application/json" }, body: JSON.stringify(body) });
