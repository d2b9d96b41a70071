import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { EditorView } from "@codemirror/view";
import { tags } from "@lezer/highlight";

/** The editor in the colours of the page, in either theme. */
export const look = [
  EditorView.theme({
    "&": { fontSize: "13px", backgroundColor: "var(--paper)", color: "var(--ink)", height: "100%" },
    "&.cm-focused": { outline: "none" },
    ".cm-scroller": {
      fontFamily: "ui-monospace, SFMono-Regular, Menlo, Consolas, monospace",
      lineHeight: "1.6",
    },
    ".cm-content": { caretColor: "var(--accent)", paddingBlock: "0.6rem" },
    ".cm-cursor": { borderLeftColor: "var(--accent)" },
    ".cm-gutters": { backgroundColor: "var(--paper)", color: "var(--faded)", border: "none" },
    ".cm-activeLine, .cm-activeLineGutter": {
      backgroundColor: "color-mix(in srgb, var(--leaf) 70%, transparent)",
    },
    "&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground": {
      backgroundColor: "color-mix(in srgb, var(--accent) 22%, transparent)",
    },
    ".cm-tooltip": {
      backgroundColor: "var(--paper)",
      border: "1px solid var(--rule)",
      borderRadius: "4px",
      color: "var(--ink)",
    },
    ".cm-tooltip-autocomplete ul li[aria-selected]": {
      backgroundColor: "var(--accent)",
      color: "var(--on-accent)",
    },
    ".cm-completionInfo": {
      maxWidth: "22rem",
      padding: "0.5rem 0.7rem",
      fontFamily: "var(--font-sans, sans-serif)",
    },
    ".cm-completionDetail": { fontStyle: "normal", opacity: "0.75", marginLeft: "0.8em" },
    // Mistakes: a bar of dots below the words, a note that hangs on a rule.
    ".cm-diagnostic": {
      fontFamily: "var(--font-sans, sans-serif)",
      padding: "0.4rem 0.7rem",
      borderLeft: "3px solid var(--wrong)",
    },
    ".cm-lintRange-error": {
      backgroundImage: "radial-gradient(circle, var(--wrong) 1.4px, transparent 1.6px)",
      backgroundSize: "5px 4px",
      backgroundPosition: "left bottom",
      backgroundRepeat: "repeat-x",
      backgroundColor: "color-mix(in srgb, var(--wrong) 9%, transparent)",
      paddingBottom: "2px",
    },
    ".cm-lintPoint:after": { borderBottomColor: "var(--wrong)" },
    ".cm-lint-marker-error": { content: '"●"', color: "var(--wrong)" },
    // What changed: a moss rule at what is new, rosehip and a line through what went.
    ".cm-changedLine, .cm-insertedLine": {
      background: "color-mix(in srgb, var(--accent) 9%, transparent) !important",
    },
    ".cm-changedText": {
      background: "color-mix(in srgb, var(--accent) 24%, transparent) !important",
      borderRadius: "2px",
    },
    ".cm-deletedChunk": { background: "color-mix(in srgb, var(--wrong) 8%, transparent) !important" },
    ".cm-deletedText": {
      background: "color-mix(in srgb, var(--wrong) 20%, transparent) !important",
      textDecoration: "line-through",
      borderRadius: "2px",
    },
    ".cm-changeGutter .cm-changedLineGutter": { background: "var(--accent) !important" },
    ".cm-changeGutter .cm-deletedLineGutter": { background: "var(--wrong) !important" },
    ".cm-collapsedLines:before, .cm-collapsedLines:after": { content: '"…" !important' },
    ".cm-collapsedLines": { background: "var(--leaf)", color: "var(--faded)" },
  }),
  syntaxHighlighting(
    HighlightStyle.define([
      { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: "var(--accent)" },
      { tag: tags.comment, color: "var(--faded)", fontStyle: "italic" },
      { tag: [tags.number, tags.bool, tags.null, tags.keyword], fontWeight: "600" },
    ]),
  ),
];
