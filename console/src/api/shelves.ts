import { pageData, type Schemas } from "../pageData";
import { data, service } from "./service";
import { upload, type NamedFile } from "./upload";

// What the console asks of the service about shelves.

const on = (shelf: string) => ({ params: { path: { shelf } } });
const of = (shelf: string, id: number) => ({ params: { path: { shelf, id } } });
const path = (slug: string, rest: string) => `/api/shelves/${encodeURIComponent(slug)}${rest}`;

/** The tables of a shelf's documents. */
export const tablesOn = async (shelf: string) =>
  (await data(service.GET("/api/shelves/{shelf}/tables", { params: { path: { shelf } } }))).documents;

/** Says what kind of values a column of one of them has. */
export const putColumnRight = (
  shelf: string,
  document: number,
  given: Schemas["ColumnGiven"],
): Promise<Schemas["Tabled"]> =>
  data(
    service.PUT("/api/shelves/{shelf}/tables/{document}", {
      params: { path: { shelf, document } },
      body: given,
    }),
  );

export const listShelves = async () => (await data(service.GET("/api/shelves"))).shelves;
export const readShelf = (slug: string) => data(service.GET("/api/shelves/{shelf}", on(slug)));
export const makeShelf = (slug: string, title: string) =>
  data(service.POST("/api/shelves", { body: { shelf: slug, title } }));
export const removeShelf = (slug: string) => service.DELETE("/api/shelves/{shelf}", on(slug));
export const readSettings = (slug: string) => data(service.GET("/api/shelves/{shelf}/settings", on(slug)));
export const changeShelf = (slug: string, body: Schemas["ShelfSettings"]) =>
  data(service.PUT("/api/shelves/{shelf}/settings", { ...on(slug), body }));
export const readLeast = (slug: string) => data(service.GET("/api/shelves/{shelf}/least", on(slug)));
export const readEmbedding = (slug: string) => data(service.GET("/api/shelves/{shelf}/embedding", on(slug)));
export const embed = (slug: string) => service.POST("/api/shelves/{shelf}/embedding", on(slug));
export const listDocuments = async (slug: string) =>
  (await data(service.GET("/api/shelves/{shelf}/documents", on(slug)))).documents;
export const removeDocument = (slug: string, id: number) =>
  service.DELETE("/api/shelves/{shelf}/documents/{id}", of(slug, id));
export const restoreDocument = (slug: string, id: number) =>
  service.POST("/api/shelves/{shelf}/documents/{id}/restore", of(slug, id));
export const readAgain = (slug: string, id: number) =>
  service.POST("/api/shelves/{shelf}/documents/{id}/read", of(slug, id));
export const readAllAgain = (slug: string) => data(service.POST("/api/shelves/{shelf}/read", on(slug)));
export type Wanted = Schemas["NewAddress"];
export const fetchTo = async (slug: string, body: Wanted) =>
  (await data(service.POST("/api/shelves/{shelf}/addresses", { ...on(slug), body }))).added;
export const cancelReading = (slug: string) => data(service.POST("/api/shelves/{shelf}/cancel", on(slug)));
export const readText = (slug: string, id: number) =>
  data(service.GET("/api/shelves/{shelf}/documents/{id}/text", of(slug, id)));
export const readPassages = (slug: string, id: number) =>
  data(service.GET("/api/shelves/{shelf}/documents/{id}/passages", of(slug, id)));
export const search = (slug: string, query: string, limit: number) =>
  data(service.POST("/api/shelves/{shelf}/search", { ...on(slug), body: { query, limit } }));
export const readMap = (slug: string, query: string) =>
  data(service.GET("/api/shelves/{shelf}/map", { params: { path: { shelf: slug }, query: { query } } }));
export const originalOf = (slug: string, id: number) =>
  pageData.base + path(slug, `/documents/${id}/original`);

/** Sends files to a shelf, telling how much of them has been sent. */
export const addFiles = async (slug: string, files: NamedFile[], sent: (part: number) => void) =>
  (await upload<Schemas["AddedList"]>(path(slug, "/documents"), files, sent)).added;
