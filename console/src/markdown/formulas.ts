import "./formulas.css";
import temml from "temml";

/** Replaces formulas as render.ts marks them by MathML. */
export function typeset(html: string): string {
  const page = document.createElement("template");
  page.innerHTML = html;
  for (const place of page.content.querySelectorAll<HTMLElement>("code[data-tex]")) {
    const displayMode = place.dataset.tex === "display";
    const set = document.createElement(displayMode ? "div" : "span");
    if (displayMode) set.className = "formula";
    try {
      set.innerHTML = temml.renderToString(place.textContent ?? "", {
        displayMode,
        throwOnError: true,
        trust: false,
        maxExpand: 200,
      });
      place.replaceWith(set);
    } catch {
      // What is no formula stays as it was written.
    }
  }
  return page.innerHTML;
}
