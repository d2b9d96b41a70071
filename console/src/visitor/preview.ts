import { readFace } from "../api/visiting";
import { pageData, type Schemas } from "../pageData";

/** How often, in ms, a preview looks whether the draft has changed. */
const every = 700;

/** Hands over what visitors see of a draft whenever that changes. */
export function followDraft(changed: (face: Schemas["Face"]) => void) {
  let last = JSON.stringify(pageData.desk);
  setInterval(async () => {
    if (document.hidden) return;
    try {
      const face = await readFace();
      const text = JSON.stringify(face);
      if (text !== last) changed(face);
      last = text;
    } catch {
      // The draft may be gone for a moment; the next look tells.
    }
  }, every);
}

/** What a preview tells the bench around it: which turn is looked at. */
export type BenchMessage = { juvalogos: "turn"; turn: string };

/** Tells the bench around a preview which turn is looked at. */
export function tellBench(turn: string) {
  if (parent !== window)
    parent.postMessage({ juvalogos: "turn", turn } satisfies BenchMessage, location.origin);
}
