import "./formulas.css";
import temml from "temml";

/** What formulas may take: a reply is no place for more, whoever wrote it. */
export const limits = {
  /** Signs of the source of one formula. */
  source: 3000,
  /** Signs of what becomes of one, and of all formulas of a piece of text together. */
  set: 60_000,
  all: 400_000,
  /** The longest space or line in one, in em and in points. */
  size: [10, 300] as [number, number],
  /** Elements within elements. */
  depth: 40,
};

/** Replaces formulas as render.ts marks them by MathML. What is no formula, or one that
 *  is too large, stays as it was written. */
export function typeset(html: string): string {
  const page = document.createElement("template");
  page.innerHTML = html;
  let room = limits.all;
  for (const place of page.content.querySelectorAll<HTMLElement>("code[data-tex]")) {
    const displayMode = place.dataset.tex === "display";
    const source = place.textContent ?? "";
    if (source.length > limits.source || depthOf(source) > limits.depth) continue;
    const set = document.createElement(displayMode ? "div" : "span");
    if (displayMode) set.className = "formula";
    try {
      const text = temml.renderToString(source, {
        displayMode,
        throwOnError: true,
        trust: false,
        maxExpand: 100,
        maxSize: limits.size,
      });
      if (text.length > limits.set || text.length > room || farOff(text)) continue;
      room -= text.length;
      set.innerHTML = text;
      place.replaceWith(set);
    } catch {
      // It stays as it was written.
    }
  }
  return page.innerHTML;
}

/** Whether something in MathML is longer, or further off its line, than is ever needed. */
function farOff(text: string): boolean {
  for (const [, number, unit] of text.matchAll(
    /="[^"]*?(\d+(?:\.\d+)?)(em|ex|rem|mu|pt|px|cm|mm|in|pc)\b/g,
  )) {
    if (Number(number) > (unit === "pt" || unit === "px" || unit === "mu" ? 600 : 50)) return true;
  }
  return false;
}

/** How deep braces stand in braces. */
function depthOf(source: string): number {
  let depth = 0;
  let most = 0;
  for (const sign of source) {
    if (sign === "{") most = Math.max(most, ++depth);
    else if (sign === "}") depth--;
  }
  return most;
}
