import type { components } from "./api/schema";

export type Schemas = components["schemas"];

/** What the service wrote into the document: the desk, or why there is none. */
export const pageData: Schemas["PageData"] = JSON.parse(document.getElementById("page-data")!.textContent!);
