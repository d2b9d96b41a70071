import { given, type Schemas } from "../given";

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

const unreachable = () =>
  new Trouble("offline", "The service cannot be reached. Check your connection and try again.", "", true);

/** Sends a request below the service's base path; a refusal becomes Trouble. */
export async function request(path: string, init: RequestInit = {}): Promise<Response> {
  let response: Response;
  if (csrf.token && init.method && init.method !== "GET") init = { ...init, headers: { ...init.headers, "X-CSRF-Token": csrf.token } };
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
    problem.problems,
  );
}

const at = () => `/api/at/${encodeURIComponent(given.slug)}`;

/** The path of what is attached to a conversation, or of one document of it. */
export const attachments = (conversation: string, document?: number) =>
  `${at()}/attachments${document ? `/${document}` : ""}${conversation ? `?${new URLSearchParams({ conversation })}` : ""}`;

/** Lists earlier conversations: those with the words of a search, or those before a time. */
export async function listConversations(search = "", before = ""): Promise<Schemas["Conversation"][]> {
  const query = new URLSearchParams({ search, before, limit: "60" });
  return (await (await request(`${at()}/conversations?${query}`)).json()).conversations;
}

/** Reads what visitors may know of the desk anew. */
export async function readFace(): Promise<Schemas["Face"]> {
  return (await request(at())).json();
}

export async function readConversation(id: string): Promise<Schemas["Conversation"]> {
  return (await request(`/api/conversations/${id}`)).json();
}

/** Reads the shared conversation that this page is for. */
export async function readShared(): Promise<Schemas["Conversation"]> {
  return (await request(`/api/shared/${encodeURIComponent(given.shared)}`)).json();
}

type Choice = Schemas["Choice"];

/** Asks, at the end or in the place of a turn; the response is the reply's event stream. */
export function ask(question: string, conversation: string, key: string, instead_of: string, choice: Choice, takes: Record<string, string> = {}): Promise<Response> {
  return request(`${at()}/questions`, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "text/event-stream" },
    body: JSON.stringify({ question, conversation, key, instead_of, choice, takes }),
  });
}

export function makeAgain(turn: string, choice: Choice): Promise<Response> {
  return request(`/api/turns/${turn}/attempts`, {
    method: "POST",
    headers: { "Content-Type": "application/json", Accept: "text/event-stream" },
    body: JSON.stringify({ choice, preview: given.preview }),
  });
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

/** Leads the conversation through a turn; brings back one that was taken back. */
export async function show(turn: string): Promise<Schemas["Conversation"]> {
  return (await request(`/api/turns/${turn}/show`, { method: "POST" })).json();
}

/** Says whether an attempt helped, and why not; null takes it back. */
export async function judge(turn: string, attempt: number, helped: boolean | null, reason = "", remark = ""): Promise<void> {
  // It arrives although the page may be left at once.
  await send("POST", `/api/turns/${turn}/verdict`, { attempt, helped, reason, remark }, { keepalive: true });
}

/** Makes one of several texts the reply. */
export async function prefer(turn: string, attempt: number, lane: number): Promise<Schemas["Turn"]> {
  return (await send("POST", `/api/turns/${turn}/preference`, { attempt, lane })).json();
}

/** Takes a conversation's last turn back; answers with its question. */
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

/** Sends JSON. */
export const send = (method: string, path: string, body: unknown, more: RequestInit = {}) =>
  request(path, { method, headers: { "Content-Type": "application/json" }, body: JSON.stringify(body), ...more });
