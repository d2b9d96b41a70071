import { given, type Schemas } from "../given";
import { csrf, request, send, Trouble } from "./api";

// What the console asks of the service about shelves.

const json = async <T>(response: Promise<Response>): Promise<T> => (await response).json();
const shelf = (slug: string, rest = "") => `/api/shelves/${encodeURIComponent(slug)}${rest}`;

export const listShelves = async () => (await json<{ shelves: Schemas["Shelf"][] }>(request("/api/shelves"))).shelves;
export const readShelf = (slug: string) => json<Schemas["Shelf"]>(request(shelf(slug)));
export const makeShelf = (slug: string, title: string) => json<Schemas["Shelf"]>(send("POST", "/api/shelves", { shelf: slug, title }));
export const removeShelf = (slug: string) => request(shelf(slug), { method: "DELETE" });
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
export function addFiles(slug: string, files: { name: string; file: File }[], sent: (part: number) => void): Promise<Schemas["Added"][]> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const f of files) form.append("file", f.file, f.name);
    const r = new XMLHttpRequest(); // fetch does not tell how much it has sent
    r.open("POST", given.base + shelf(slug, "/documents"));
    if (csrf.token) r.setRequestHeader("X-CSRF-Token", csrf.token);
    r.upload.onprogress = (e) => e.lengthComputable && sent(e.loaded / e.total);
    r.onerror = () => reject(new Trouble("offline", "The service cannot be reached. What arrived was added; add the others again."));
    r.onload = () => {
      const body = JSON.parse(r.responseText || "{}");
      if (r.status < 300) resolve(body.added);
      else reject(new Trouble(body.code ?? "unexpected", body.detail ?? "The files could not be added. Please try again."));
    };
    r.send(form);
  });
}

/** All files of what was dropped, those in folders with their folders' names. */
export async function filesOf(items: DataTransferItemList): Promise<{ name: string; file: File }[]> {
  const all: { name: string; file: File }[] = [];
  const walk = async (entry: FileSystemEntry, above: string): Promise<void> => {
    if (entry.name.startsWith(".")) return;
    if (entry.isFile) {
      const file = await new Promise<File>((ok, no) => (entry as FileSystemFileEntry).file(ok, no));
      all.push({ name: above + file.name, file });
      return;
    }
    const reader = (entry as FileSystemDirectoryEntry).createReader();
    for (;;) {
      const some = await new Promise<FileSystemEntry[]>((ok, no) => reader.readEntries(ok, no));
      if (!some.length) return;
      for (const e of some) await walk(e, `${above}${entry.name}/`);
    }
  };
  const entries = [...items].map((i) => i.webkitGetAsEntry()).filter((e) => e !== null);
  for (const e of entries) await walk(e, "");
  return all;
}
