import { pageData, type Schemas } from "../pageData";
import { csrf, data, service, Trouble, troubleOf } from "./service";

// What the visitor's page asks of the service about spoken words.

const desk = { slug: pageData.slug };
const at = (id: string) => ({ params: { path: { id } } });
const path = `/api/at/${encodeURIComponent(pageData.slug)}`;

/** The path of the recordings of a conversation, for uploads. */
export const recordings = (conversation: string) =>
  `${path}/recordings${conversation ? `?${new URLSearchParams({ conversation })}` : ""}`;

/** The path for spoken questions, for uploads. */
export const dictation = `${path}/dictation`;

export const listRecordings = async (conversation: string) =>
  (await data(service.GET("/api/at/{slug}/recordings", { params: { path: desk, query: { conversation } } })))
    .recordings;

/** Gives a recording by its address, or one of the desk's samples, from 1. */
export const giveAddress = (conversation: string, from: { address: string } | { sample: number }) =>
  data(
    service.POST("/api/at/{slug}/recordings/address", {
      params: { path: desk },
      body: { ...from, conversation: conversation || undefined },
    }),
  );

export const beginRecording = (id: string, wishes: Schemas["RecordingWishes"]) =>
  data(
    service.POST("/api/at/{slug}/recordings/{id}/begin", { params: { path: { ...desk, id } }, body: wishes }),
  );

/** A recording with its words; with a version that is known, once there is a newer one. */
export const readRecording = (id: string, seen?: number) =>
  data(service.GET("/api/recordings/{id}", { params: { path: { id }, query: { seen } } }));

export async function stopRecording(id: string): Promise<void> {
  await service.POST("/api/recordings/{id}/stop", at(id));
}

export async function removeRecording(id: string): Promise<void> {
  await service.DELETE("/api/recordings/{id}", at(id));
}

/** Puts a sentence right, and returns names that are new in it. */
export const putRight = async (id: string, sentence: number, right: Schemas["SentenceRight"]) =>
  (
    await data(
      service.PUT("/api/recordings/{id}/sentences/{sentence}", {
        params: { path: { id, sentence } },
        body: right,
      }),
    )
  ).names;

/** How a recording of one's own was written down. */
export const recordingInside = (id: string) => data(service.GET("/api/recordings/{id}/inside", at(id)));

/** Has a recording of one's own written down in another way. */
export const tryRecording = (id: string, body: Schemas["RecordingTry"]) =>
  data(service.POST("/api/recordings/{id}/tries", { ...at(id), body }));

/** Where the sound of a recording is. */
export const soundOf = (id: string) => `${pageData.base}/api/recordings/${id}/sound`;

/** Where its words are, as a file. */
export const textOf = (id: string, as: string) => `${pageData.base}/api/recordings/${id}/text?as=${as}`;

/** Where the words of all recordings of a conversation are. */
export const zipOf = (conversation: string, as: string) =>
  `${pageData.base}${path}/recordings/zip?${new URLSearchParams({ conversation, as })}`;

/** A sentence of a reply, read aloud. */
export async function readAloud(turn: string, text: string, signal: AbortSignal): Promise<Blob> {
  const r = await fetch(`${pageData.base}${path}/speech`, {
    method: "POST",
    headers: { "Content-Type": "application/json", ...(csrf.token && { "X-CSRF-Token": csrf.token }) },
    body: JSON.stringify({ turn, text }),
    signal,
  });
  if (r.ok) return r.blob();
  throw troubleOf(r.status, await r.json().catch(() => ({})), "It cannot be read aloud at the moment.");
}

export { Trouble };
