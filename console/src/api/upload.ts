import { pageData } from "../pageData";
import { csrf, Trouble, troubleOf } from "./service";

export type NamedFile = { name: string; file: File };

/** Sends files, telling how much of them has been sent, and returns the answer. */
export function upload<T>(path: string, files: NamedFile[], sent: (part: number) => void): Promise<T> {
  return new Promise((resolve, reject) => {
    const form = new FormData();
    for (const f of files) form.append("file", f.file, f.name);
    const r = new XMLHttpRequest(); // fetch does not tell how much it has sent
    r.open("POST", pageData.base + path);
    if (csrf.token) r.setRequestHeader("X-CSRF-Token", csrf.token);
    r.upload.onprogress = (e) => e.lengthComputable && sent(e.loaded / e.total);
    r.onerror = () =>
      reject(
        new Trouble(
          "offline",
          "The service cannot be reached. What arrived was added; add the others again.",
        ),
      );
    r.onload = () => {
      const body = JSON.parse(r.responseText || "{}");
      if (r.status < 300) resolve(body);
      else reject(troubleOf(r.status, body, "The files could not be added. Please try again."));
    };
    r.send(form);
  });
}

/** All files of what was dropped, those in folders with their folders' names. */
export async function filesOf(items: DataTransferItemList): Promise<NamedFile[]> {
  const all: NamedFile[] = [];
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
