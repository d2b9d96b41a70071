import { pageData, type Schemas } from "../pageData";
import { data, service, streamed } from "./service";

// What the visitor's page asks of the service.

const desk = { slug: pageData.slug };
const conversationOf = (id: string) => ({ params: { path: { id } } });
const turnOf = conversationOf;

/** The path of what is attached to a conversation, for uploads. */
export const attachments = (conversation: string) =>
  `/api/at/${encodeURIComponent(pageData.slug)}/attachments${conversation ? `?${new URLSearchParams({ conversation })}` : ""}`;

export const listAttached = async (conversation: string) =>
  (await data(service.GET("/api/at/{slug}/attachments", { params: { path: desk, query: { conversation } } })))
    .documents;

export async function detach(conversation: string, id: number): Promise<void> {
  await service.DELETE("/api/at/{slug}/attachments/{id}", {
    params: { path: { ...desk, id }, query: { conversation } },
  });
}

/** What can be asked of tables at the desk, and in a conversation; "": in none. */
export const tables = (conversation: string) =>
  data(
    service.GET("/api/at/{slug}/tables", {
      params: { path: desk, query: { conversation: conversation || undefined } },
    }),
  );

/** Says what kind of values a column has. */
export const putColumnRight = (
  conversation: string,
  document: number,
  given: Schemas["ColumnGiven"],
): Promise<Schemas["Tabled"]> =>
  data(
    service.PUT("/api/at/{slug}/tables/{document}", {
      params: { path: { ...desk, document }, query: { conversation } },
      body: given,
    }),
  );

/** More rows of the table that a turn has. */
export const rowsOf = (turn: string, from: number, most: number) =>
  data(service.GET("/api/turns/{id}/table", { params: { path: { id: turn }, query: { from, most } } }));

/** The rows on which a row of that table rests; a column of the table is marked in them. */
export const rowsBehind = (turn: string, row: number, column: number, from = 0) =>
  data(
    service.GET("/api/turns/{id}/behind/{row}", {
      params: { path: { id: turn, row }, query: { column: Math.max(0, column), from, most: 200 } },
    }),
  );

/** The path of that table as a file. */
export const tableFile = (turn: string, format: string) =>
  `${pageData.base}/api/turns/${turn}/table/${format}`;

/** The path for conversations that were saved, for uploads. */
export const savedConversations = `/api/at/${encodeURIComponent(pageData.slug)}/conversations`;

/** The path of the pictures of a conversation, for uploads. */
export const pictures = (conversation: string) =>
  `/api/at/${encodeURIComponent(pageData.slug)}/pictures${conversation ? `?${new URLSearchParams({ conversation })}` : ""}`;

export const listPictures = async (conversation: string) =>
  (await data(service.GET("/api/at/{slug}/pictures", { params: { path: desk, query: { conversation } } })))
    .pictures;

/** Gives a page of a document that was attached, as a picture. */
export const addPage = (conversation: string, document: number, page: number) =>
  data(
    service.POST("/api/at/{slug}/pictures/page", {
      params: { path: desk },
      body: { conversation, document, page },
    }),
  );

/** Gives the picture that an opener, counted from 1, is asked with. */
export const addOpenerPicture = (conversation: string, opener: number) =>
  data(
    service.POST("/api/at/{slug}/pictures/opener", {
      params: { path: desk },
      body: { conversation: conversation || undefined, opener },
    }),
  );

/** The path of that picture. */
export const openerPicture = (opener: number) =>
  `${pageData.base}/api/at/${encodeURIComponent(pageData.slug)}/openers/${opener}/picture`;

export async function putAwayPicture(id: string): Promise<void> {
  await service.DELETE("/api/pictures/{id}", conversationOf(id));
}

/** Says what a picture shows. */
export async function describePicture(id: string, alt: string): Promise<void> {
  await service.PUT("/api/pictures/{id}", { ...conversationOf(id), body: { alt } });
}

export async function restorePicture(id: string): Promise<void> {
  await service.POST("/api/pictures/{id}/restore", conversationOf(id));
}

/** Lists the pictures that the desk made: those with the words of a search, and those older than one. */
/** The replies that the desk keeps current. */
export const listStanding = async () =>
  (await data(service.GET("/api/at/{slug}/standing", { params: { path: desk } }))).standing;

export const listGallery = (search: string, older: string, limit: number) =>
  data(
    service.GET("/api/at/{slug}/gallery", {
      params: { path: desk, query: { search: search || undefined, older: older || undefined, limit } },
    }),
  );

/** Gives one of the visitor's pictures to a conversation that is to begin, at any desk. */
export const givePictureAt = (slug: string, picture: string) =>
  data(service.POST("/api/at/{slug}/pictures/from", { params: { path: { slug } }, body: { picture } }));

/** The path of pictures in a ZIP; all of them if none is named. */
export const zipOf = (ids: string[]) =>
  `${pageData.base}/api/at/${encodeURIComponent(pageData.slug)}/gallery/zip?${ids.map((id) => `id=${id}`).join("&")}`;

/** The path of a picture as the desk's model gets it. */
export const sentPicture = (id: string) =>
  `${pageData.base}/api/at/${encodeURIComponent(pageData.slug)}/pictures/${id}/sent`;

/** Gives what was painted over a picture; returns its id. */
export const masks = (conversation: string) =>
  `/api/at/${encodeURIComponent(pageData.slug)}/pictures?${new URLSearchParams({ conversation, mask: "yes" })}`;

type Wish = Schemas["Wish"];
const errandOf = (id: string) => ({ params: { path: { ...desk, id } } });

export const listErrands = async (conversation: string) =>
  (await data(service.GET("/api/at/{slug}/errands", { params: { path: desk, query: { conversation } } })))
    .errands;

/** Brings something into a conversation; "" is one that is to begin. */
export const bring = (conversation: string, body: Wish) =>
  data(
    service.POST("/api/at/{slug}/errands", {
      params: { path: desk, query: { conversation: conversation || undefined } },
      body,
    }),
  );

/** Goes on with one of several meanings; "" tries again what failed. */
export const chooseMeaning = (id: string, title: string) =>
  data(service.POST("/api/at/{slug}/errands/{id}/choose", { ...errandOf(id), body: { title } }));

export async function stopErrand(id: string): Promise<void> {
  await service.POST("/api/at/{slug}/errands/{id}/stop", errandOf(id));
}

/** Puts away what was brought; takeUp brings it back. */
export async function putAway(id: string): Promise<void> {
  await service.DELETE("/api/at/{slug}/errands/{id}", errandOf(id));
}

export async function takeUp(id: string): Promise<void> {
  await service.POST("/api/at/{slug}/errands/{id}/restore", errandOf(id));
}

export async function agreeToCost(id: string): Promise<void> {
  await service.POST("/api/at/{slug}/errands/{id}/agree", errandOf(id));
}

/** Lists the desk's documents with some words in their titles. */
export const listTitles = (search: string) =>
  data(
    service.GET("/api/at/{slug}/titles", { params: { path: desk, query: { search: search || undefined } } }),
  );

/** Lists earlier conversations: those with the words of a search, or those before a time. */
export async function listConversations(search = "", before = ""): Promise<Schemas["Conversation"][]> {
  const query = { search: search || undefined, before: before || undefined, limit: 60 };
  return (await data(service.GET("/api/at/{slug}/conversations", { params: { path: desk, query } })))
    .conversations;
}

/** Reads what visitors may know of the desk anew. */
export const readFace = () => data(service.GET("/api/at/{slug}", { params: { path: desk } }));

export const readConversation = (id: string) =>
  data(service.GET("/api/conversations/{id}", conversationOf(id)));

/** Reads the shared conversation that this page is for. */
export const readShared = () =>
  data(service.GET("/api/shared/{share}", { params: { path: { share: pageData.shared } } }));

/** Reads a document that this desk answers from, as it was read. */
export const readText = (shelf: string, id: number) =>
  data(
    service.GET("/api/at/{slug}/shelves/{shelf}/documents/{id}/text", {
      params: { path: { ...desk, shelf, id } },
    }),
  );

type Choice = Schemas["Choice"];

/** Asks, at the end or in the place of a turn; the response is the reply's event stream. */
export async function ask(
  question: string,
  conversation: string,
  key: string,
  instead_of: string,
  choice: Choice,
  inputs: Record<string, string> = {},
): Promise<Response> {
  const body = { question, conversation, key, instead_of, choice, inputs };
  return (await service.POST("/api/at/{slug}/questions", { ...streamed, params: { path: desk }, body }))
    .response;
}

/** What a question would take, where that can be told. */
export const foretell = (
  question: string,
  conversation: string,
  choice: Choice,
  inputs: Record<string, string>,
) =>
  data(
    service.POST("/api/at/{slug}/forecast", {
      params: { path: desk },
      body: { question, conversation, choice, inputs },
    }),
  );

export async function makeAgain(turn: string, choice: Choice): Promise<Response> {
  return (
    await service.POST("/api/turns/{id}/attempts", {
      ...streamed,
      ...turnOf(turn),
      body: { choice, preview: pageData.preview },
    })
  ).response;
}

/** Follows a turn's newest attempt; after is the id of the last event one has. */
export async function watch(turn: string, after: string): Promise<Response> {
  const header = after ? { "Last-Event-ID": after } : {};
  return (
    await service.GET("/api/turns/{id}/events", { ...streamed, params: { path: { id: turn }, header } })
  ).response;
}

export async function stop(turn: string): Promise<void> {
  await service.POST("/api/turns/{id}/stop", turnOf(turn));
}

/** Leads the conversation through a turn; brings back one that was taken back. */
export const show = (turn: string) => data(service.POST("/api/turns/{id}/show", turnOf(turn)));

type Reason = Schemas["Judgement"]["reason"];

/** Says whether an attempt helped, and why not; null takes it back. */
export async function judge(
  turn: string,
  attempt: number,
  helped: boolean | null,
  reason = "",
  remark = "",
): Promise<void> {
  const body = { attempt, helped, reason: reason as Reason, remark };
  await service.POST("/api/turns/{id}/verdict", { ...turnOf(turn), body, keepalive: true });
}

/** Makes one of several texts the reply. */
export const prefer = (turn: string, attempt: number, lane: number) =>
  data(service.POST("/api/turns/{id}/preference", { ...turnOf(turn), body: { attempt, lane } }));

/** Takes a conversation's last turn back; answers with its question. */
export const takeBack = (turn: string) => data(service.DELETE("/api/turns/{id}", turnOf(turn)));

/** Makes one attempt the one that is shown and remembered. */
export const choose = (turn: string, attempt: number) =>
  data(service.POST("/api/turns/{id}/choose", { ...turnOf(turn), body: { attempt } }));

export async function rename(conversation: string, title: string): Promise<void> {
  await service.PATCH("/api/conversations/{id}", { ...conversationOf(conversation), body: { title } });
}

export async function remove(conversation: string): Promise<void> {
  await service.DELETE("/api/conversations/{id}", conversationOf(conversation));
}

/** Makes a conversation readable by a link; returns its path. */
export const share = async (conversation: string) =>
  (await data(service.POST("/api/conversations/{id}/share", conversationOf(conversation)))).page;

/** Withdraws the link. */
export async function unshare(conversation: string): Promise<void> {
  await service.DELETE("/api/conversations/{id}/share", conversationOf(conversation));
}

/** Brings a removed conversation back. */
export async function restore(conversation: string): Promise<void> {
  await service.POST("/api/conversations/{id}/restore", conversationOf(conversation));
}
