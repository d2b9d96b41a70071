import type { components } from "./api/schema";

export type Schemas = components["schemas"];

/** What the service wrote into the document: the desk, or why there is none. */
export const given: Schemas["Given"] = JSON.parse(document.getElementById("given")!.textContent!);
