import type { Schemas } from "../given";
import { request, send } from "./api";

// What the console asks of the service.

const json = async <T>(response: Promise<Response>): Promise<T> => (await response).json();
const desk = (slug: string, rest = "") => `/api/desks/${encodeURIComponent(slug)}${rest}`;

export type SignIn = { name: string; password: string; link?: string };

export const whoAmI = () => json<Schemas["Session"]>(request("/api/session"));
export const signIn = (b: SignIn) => json<Schemas["Session"]>(send("POST", "/api/session", b));
export const makeAccount = (b: SignIn) => json<Schemas["Session"]>(send("POST", "/api/account", b));
export const signOut = () => request("/api/session", { method: "DELETE" });
export const setPassword = (old: string, fresh: string) => send("POST", "/api/account/password", { old, new: fresh });
export const listBrowsers = async () => (await json<{ sessions: Schemas["Browser"][] }>(request("/api/sessions"))).sessions;
export const endSession = (id: number) => request(`/api/sessions/${id}`, { method: "DELETE" });

export const listTokens = async () => (await json<{ tokens: Schemas["Token"][] }>(request("/api/tokens"))).tokens;
export const addToken = (b: { name: string; scopes: string[]; expires_at?: string }) => json<Schemas["Token"]>(send("POST", "/api/tokens", b));
export const removeToken = (name: string) => request(`/api/tokens/${encodeURIComponent(name)}`, { method: "DELETE" });

export const restoreToken = (name: string) => request(`/api/tokens/${encodeURIComponent(name)}/restore`, { method: "POST" });

export const listDesks = async () => (await json<{ desks: Schemas["Desk"][] }>(request("/api/desks"))).desks;
export const readDesk = (slug: string) => json<Schemas["Desk"]>(request(desk(slug)));
export const readDraft = (slug: string) => json<Schemas["Draft"]>(request(desk(slug, "/draft")));
export const dropDraft = (slug: string) => request(desk(slug, "/draft"), { method: "DELETE" });
export const readRevision = (slug: string, number: number) => json<Schemas["Revision"]>(request(desk(slug, `/revisions/${number}`)));
export const returnTo = (slug: string, revision: number) => json<Schemas["Desk"]>(send("POST", desk(slug, "/return"), { revision }));
export const withdraw = (slug: string) => json<Schemas["Desk"]>(request(desk(slug, "/withdraw"), { method: "POST" }));
export const duplicate = (slug: string, as: string) => json<Schemas["Desk"]>(send("POST", desk(slug, "/duplicate"), { as }));

/** Keeps a desk file that is being worked on; answers with what is wrong with it. */
export async function saveDraft(slug: string, file: string): Promise<Schemas["FileProblems"]> {
  const saved = request(desk(slug, "/draft"), { method: "PUT", headers: { "Content-Type": "application/yaml" }, body: file });
  return (await json<{ problems: Schemas["FileProblems"] }>(saved)).problems;
}

export const publish = (file: string, note: string) =>
  json<Schemas["Desk"]>(request(`/api/desks?${new URLSearchParams({ note })}`, { method: "POST", headers: { "Content-Type": "application/yaml" }, body: file }));

export const importDesk = (packed: string, as = "") =>
  json<{ slug: string; problems: Schemas["FileProblems"] }>(
    request(`/api/desks/import?${new URLSearchParams({ as })}`, { method: "POST", headers: { "Content-Type": "application/json" }, body: packed }),
  );

/** Lists the conversations at a desk. */
export async function listRecords(slug: string, search = "", before = ""): Promise<Schemas["Conversation"][]> {
  const query = new URLSearchParams({ search, before, limit: "40" });
  return (await json<{ conversations: Schemas["Conversation"][] }>(request(desk(slug, `/conversations?${query}`)))).conversations;
}
export const readRecord = (id: string) => json<Schemas["Conversation"]>(request(`/api/records/${id}`));
export const removeRecord = (id: string) => request(`/api/records/${id}`, { method: "DELETE" });
export const restoreRecord = (id: string) => request(`/api/records/${id}/restore`, { method: "POST" });

export const listModels = async () => (await json<{ models: Schemas["Model"][] }>(request("/api/models"))).models;
export const probe = async (model: string) =>
  (await json<{ probes: Schemas["Probe"][] }>(request(`/api/models/probe?${new URLSearchParams({ model })}`, { method: "POST" }))).probes;
export const listConnections = async () => (await json<{ connections: Schemas["Connection"][] }>(request("/api/connections"))).connections;
export const keepConnection = (c: Schemas["Connection"]) => send("PUT", `/api/connections/${encodeURIComponent(c.name)}`, c);
export const removeConnection = (name: string) => request(`/api/connections/${encodeURIComponent(name)}`, { method: "DELETE" });
export const restoreConnection = (name: string) => request(`/api/connections/${encodeURIComponent(name)}/restore`, { method: "POST" });
export const look = async (c: Schemas["Connection"]) => (await json<{ models: string[] }>(send("POST", "/api/connections/look", c))).models;

export const readMilestones = () => json<Schemas["Milestones"]>(request("/api/milestones"));
export const readFolder = () => json<{ folder: string; files: Schemas["FolderFile"][] }>(request("/api/folder"));
export const readDeskSchema = () => json<DeskSchema>(request("/api/schemas/desk.json"));

const query = (q: Record<string, string | number | undefined>) =>
  new URLSearchParams(Object.entries(q).filter(([, v]) => v !== undefined && v !== "").map(([k, v]) => [k, String(v)]));

export type TraceQuery = Partial<Record<"desk" | "model" | "step" | "state" | "kind" | "slow" | "costly" | "flagged" | "search" | "since" | "before" | "limit" | "conversation", string>>;
export const listTraces = async (q: TraceQuery) => (await json<{ traces: Schemas["Trace"][] }>(request(`/api/traces?${query(q)}`))).traces;
export const readInside = (id: string, whole = false) => json<Schemas["Inside"]>(request(`/api/traces/${id}?${query({ whole: whole ? "yes" : "" })}`));
export const followInside = (turn: string, signal: AbortSignal) => request(`/api/traces/${turn}/events`, { signal });
export const rerun = (id: string, edits: Schemas["Edits"]) => json<Schemas["Inside"]>(send("POST", `/api/traces/${id}/runs`, edits));
export const readKeeping = () => json<Schemas["Keeping"]>(request("/api/settings/traces"));
export const setKeeping = (days: number) => send("PUT", "/api/settings/traces", { days });

export const readUsage = (q: Record<string, string | undefined>) => json<Schemas["Usage"]>(request(`/api/usage?${query(q)}`));
export const usageCSV = (q: Record<string, string | undefined>) => `/api/usage?${query({ ...q, format: "csv" })}`;

export type VerdictQuery = Partial<Record<"desk" | "helped" | "done" | "cause" | "before" | "limit", string>>;
export const listVerdicts = async (q: VerdictQuery) => (await json<{ verdicts: Schemas["Verdict"][] }>(request(`/api/verdicts?${query(q)}`))).verdicts;
export const find = (turn: string, attempt: number, f: { cause: string; note: string; done: boolean }) => send("PUT", `/api/verdicts/${turn}/${attempt}`, f);
export const readCauses = async (slug = "") => (await json<{ causes: Schemas["CauseCount"][] }>(request(`/api/verdicts/causes?${query({ desk: slug })}`))).causes;
export const readPreferences = async (slug: string) => (await json<{ preferences: Schemas["Preference"][] }>(request(desk(slug, "/preferences")))).preferences;
export const readDeskRecipe = (slug: string) => json<Schemas["Recipe"]>(request(desk(slug, "/recipe")));

/** What the console reads of the JSON Schema of desk files. */
export type DeskSchema = {
  type?: string;
  description?: string;
  enum?: string[];
  properties?: Record<string, DeskSchema>;
  required?: string[];
  items?: DeskSchema;
};
