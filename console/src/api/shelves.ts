import { given, type Schemas } from "../given";
import { request, send } from "./api";
import { upload, type NamedFile } from "./upload";

// What the console asks of the service about shelves.

const json = async <T>(response: Promise<Response>): Promise<T> => (await response).json();
const shelf = (slug: string, rest = "") => `/api/shelves/${encodeURIComponent(slug)}${rest}`;

export const listShelves = async () => (await json<{ shelves: Schemas["Shelf"][] }>(request("/api/shelves"))).shelves;
export const readShelf = (slug: string) => json<Schemas["Shelf"]>(request(shelf(slug)));
export const makeShelf = (slug: string, title: string) => json<Schemas["Shelf"]>(send("POST", "/api/shelves", { shelf: slug, title }));
export const removeShelf = (slug: string) => request(shelf(slug), { method: "DELETE" });
export const readSettings = (slug: string) => json<Schemas["ShelfSettings"]>(request(shelf(slug, "/settings")));
export const changeShelf = (slug: string, settings: Schemas["ShelfSettings"]) => json<Schemas["ShelfSettings"]>(send("PUT", shelf(slug, "/settings"), settings));
export const readEmbedding = (slug: string) => json<Schemas["ShelfEmbedding"]>(request(shelf(slug, "/embedding")));
export const embed = (slug: string) => request(shelf(slug, "/embedding"), { method: "POST" });
export const listDocuments = async (slug: string) => (await json<{ documents: Schemas["Document"][] }>(request(shelf(slug, "/documents")))).documents;
export const removeDocument = (slug: string, id: number) => request(shelf(slug, `/documents/${id}`), { method: "DELETE" });
export const restoreDocument = (slug: string, id: number) => request(shelf(slug, `/documents/${id}/restore`), { method: "POST" });
export const readAgain = (slug: string, id: number) => request(shelf(slug, `/documents/${id}/read`), { method: "POST" });
export type Wanted = { address: string; topic?: string; search?: string; most?: number };
export const fetchTo = async (slug: string, wanted: Wanted) => (await json<{ added: Schemas["Added"][] }>(send("POST", shelf(slug, "/addresses"), wanted))).added;
export const cancelReading = (slug: string) => json<{ cancelled: number }>(request(shelf(slug, "/cancel"), { method: "POST" }));
export const readPassages = (slug: string, id: number) => json<{ passages: Schemas["ShelfPassage"][] }>(request(shelf(slug, `/documents/${id}/passages`)));
export const search = (slug: string, query: string, limit: number) => json<{ hits: Schemas["ShelfHit"][]; answers: number }>(send("POST", shelf(slug, "/search"), { query, limit }));
export const readMap = (slug: string, query: string) =>
  json<{ points: Schemas["MapPoint"][]; asked?: Schemas["MapPoint"] }>(request(shelf(slug, `/map?${new URLSearchParams({ query })}`)));
export const originalOf = (slug: string, id: number) => given.base + shelf(slug, `/documents/${id}/original`);

/** Sends files to a shelf, telling how much of them has been sent. */
export const addFiles = async (slug: string, files: NamedFile[], sent: (part: number) => void) =>
  (await upload<{ added: Schemas["Added"][] }>(shelf(slug, "/documents"), files, sent)).added;
