import type { Schemas } from "../pageData";
import { asYAML, data, service } from "./service";

// What the console asks of the service.

const desk = (slug: string) => ({ params: { path: { slug } } });
const id = (id: string) => ({ params: { path: { id } } });
const name = (name: string) => ({ params: { path: { name } } });

export type SignIn = Schemas["SignIn"];

export const whoAmI = () => data(service.GET("/api/session"));
export const signIn = (body: SignIn) => data(service.POST("/api/session", { body }));
export const makeAccount = (body: SignIn) => data(service.POST("/api/account", { body }));
export const signOut = () => service.DELETE("/api/session");
export const setPassword = (old: string, fresh: string, tokens: boolean) =>
  service.POST("/api/account/password", { body: { old, new: fresh, tokens } });
export const listBrowsers = async () => (await data(service.GET("/api/sessions"))).sessions;
export const endSession = (id: number) => service.DELETE("/api/sessions/{id}", { params: { path: { id } } });

export const listTokens = async () => (await data(service.GET("/api/tokens"))).tokens;
export const addToken = (body: Schemas["NewToken"]) => data(service.POST("/api/tokens", { body }));
export const removeToken = (token: string) => service.DELETE("/api/tokens/{name}", name(token));
/** Makes a removed token good again. */
export const restoreToken = (token: string) => service.POST("/api/tokens/{name}/restore", name(token));

export const listDesks = async () => (await data(service.GET("/api/desks"))).desks;
export const readDesk = (slug: string) => data(service.GET("/api/desks/{slug}", desk(slug)));
export const readDraft = (slug: string) => data(service.GET("/api/desks/{slug}/draft", desk(slug)));
export const dropDraft = (slug: string) => service.DELETE("/api/desks/{slug}/draft", desk(slug));
export const readRevision = (slug: string, number: number) =>
  data(service.GET("/api/desks/{slug}/revisions/{number}", { params: { path: { slug, number } } }));
export const returnTo = (slug: string, revision: number) =>
  data(service.POST("/api/desks/{slug}/return", { ...desk(slug), body: { revision } }));
export const withdraw = (slug: string) => data(service.POST("/api/desks/{slug}/withdraw", desk(slug)));
export const duplicate = (slug: string, as: string) =>
  data(service.POST("/api/desks/{slug}/duplicate", { ...desk(slug), body: { as } }));

export const listStanding = async (slug: string) =>
  (await data(service.GET("/api/desks/{slug}/standing", desk(slug)))).standing;
/** Looks now whether what they are made of has changed, and makes them anew. */
export const lookNow = async (slug: string) =>
  (await data(service.POST("/api/desks/{slug}/standing", desk(slug)))).standing;

/** Keeps a desk file that is being worked on; answers with what is wrong with it. */
export const saveDraft = async (slug: string, file: string) =>
  (await data(service.PUT("/api/desks/{slug}/draft", { ...desk(slug), ...asYAML, body: file }))).problems;

export const publish = (file: string, note: string) =>
  data(service.POST("/api/desks", { params: { query: { note } }, ...asYAML, body: file }));

export const importDesk = (packed: string, as = "") =>
  data(
    service.POST("/api/desks/import", {
      params: { query: { as } },
      body: packed as unknown as Schemas["PackedDesk"],
      bodySerializer: (file) => file as unknown as string, // the service says what is wrong with it
    }),
  );

/** Lists the conversations at a desk. */
export async function listRecords(
  slug: string,
  search = "",
  before = "",
): Promise<Schemas["Conversation"][]> {
  const query = { search: search || undefined, before: before || undefined, limit: 40 };
  return (await data(service.GET("/api/desks/{slug}/conversations", { params: { path: { slug }, query } })))
    .conversations;
}
export const readRecord = (conversation: string) => data(service.GET("/api/records/{id}", id(conversation)));
export const removeRecord = (conversation: string) => service.DELETE("/api/records/{id}", id(conversation));
export const restoreRecord = (conversation: string) =>
  service.POST("/api/records/{id}/restore", id(conversation));

export const listModels = async () => (await data(service.GET("/api/models"))).models;
export const probe = async (model: string) =>
  (await data(service.POST("/api/models/probe", { params: { query: { model } } }))).probes;
export const listConnections = async () => (await data(service.GET("/api/connections"))).connections;
export const keepConnection = (body: Schemas["Connection"]) =>
  service.PUT("/api/connections/{name}", { ...name(body.name), body });
export const removeConnection = (connection: string) =>
  service.DELETE("/api/connections/{name}", name(connection));
export const restoreConnection = (connection: string) =>
  service.POST("/api/connections/{name}/restore", name(connection));
export const look = async (body: Schemas["Connection"]) =>
  (await data(service.POST("/api/connections/look", { body }))).models;

export const tryConnection = (body: Schemas["Connection"]) =>
  data(service.POST("/api/connections/try", { body }));
export const fromCurl = (line: string) =>
  data(service.POST("/api/connections/from-curl", { body: { line } }));
export const keepManners = (connection: string, model: string, manners: Schemas["Manners"]) =>
  service.PUT("/api/connections/{name}/manners", { ...name(connection), body: { model, manners } });

export const readNotices = async () => (await data(service.GET("/api/notices"))).troubles;
export const readMilestones = () => data(service.GET("/api/milestones"));
export const readFolder = () => data(service.GET("/api/folder"));
export const readDeskSchema = async () => (await data(service.GET("/api/schemas/desk.json"))) as DeskSchema;

/** What of a query has a value. */
const said = <T extends object>(query: T) =>
  Object.fromEntries(Object.entries(query).filter(([, v]) => v !== undefined && v !== "")) as T;

export type TraceQuery = Partial<
  Record<
    | "desk"
    | "model"
    | "step"
    | "state"
    | "kind"
    | "slow"
    | "costly"
    | "flagged"
    | "search"
    | "since"
    | "before"
    | "limit"
    | "conversation",
    string
  >
>;
export const listTraces = async (q: TraceQuery) => {
  const { slow, costly, limit, ...rest } = said(q);
  const query = { ...rest, slow: numeral(slow), costly: numeral(costly), limit: numeral(limit) };
  return (await data(service.GET("/api/traces", { params: { query } }))).traces;
};
const numeral = (text?: string) => (text ? Number(text) : undefined);
export const readInside = (trace: string, whole = false) =>
  data(
    service.GET("/api/traces/{id}", {
      params: { path: { id: trace }, query: whole ? { whole: "yes" } : {} },
    }),
  );
export const followInside = async (turn: string, signal: AbortSignal) =>
  (await service.GET("/api/traces/{id}/events", { ...id(turn), signal, parseAs: "stream" })).response;
export const rerun = (trace: string, body: Schemas["Edits"]) =>
  data(service.POST("/api/traces/{id}/runs", { ...id(trace), body }));
export const readKeeping = () => data(service.GET("/api/settings/traces"));
export const setKeeping = (days: number) => service.PUT("/api/settings/traces", { body: { days } });

type UsageQuery = Partial<Record<"by" | "from" | "to" | "desk" | "model" | "step" | "visitor", string>>;
/** What visitors of a desk wanted to read in the last so many days. */
export const listWanted = async (slug: string, days: number) =>
  (await data(service.GET("/api/desks/{slug}/wanted", { params: { path: { slug }, query: { days } } })))
    .wanted;

/** Adds up what visitors had brought. */
export const readBrought = (query: { by: string; from?: string; to?: string; desk?: string }) =>
  data(service.GET("/api/brought", { params: { query } }));

export const readUsage = (q: UsageQuery) => data(service.GET("/api/usage", { params: { query: said(q) } }));
export const readLimits = () => data(service.GET("/api/limits"));
export const usageCSV = (q: UsageQuery) =>
  `/api/usage?${new URLSearchParams({ ...said(q), format: "csv" } as Record<string, string>)}`;

export type VerdictQuery = Partial<Record<"desk" | "helped" | "done" | "cause" | "before" | "limit", string>>;
export const listVerdicts = async (q: VerdictQuery) => {
  const { limit, ...rest } = said(q);
  return (await data(service.GET("/api/verdicts", { params: { query: { ...rest, limit: numeral(limit) } } })))
    .verdicts;
};
export const find = (turn: string, attempt: number, f: { cause: string; note: string; done: boolean }) =>
  service.PUT("/api/verdicts/{turn}/{attempt}", {
    params: { path: { turn, attempt } },
    body: f as Schemas["NewFinding"],
  });
export const readCauses = async (slug = "") =>
  (await data(service.GET("/api/verdicts/causes", { params: { query: said({ desk: slug }) } }))).causes;
export const readPreferences = async (slug: string) =>
  (await data(service.GET("/api/desks/{slug}/preferences", desk(slug)))).preferences;
export const readDeskRecipe = (slug: string) => data(service.GET("/api/desks/{slug}/recipe", desk(slug)));

/** What the console reads of the JSON Schema of desk files. */
export type DeskSchema = {
  type?: string;
  description?: string;
  enum?: string[];
  properties?: Record<string, DeskSchema>;
  required?: string[];
  items?: DeskSchema;
};
