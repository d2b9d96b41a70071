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
    ".cm-diagnostic": {
      fontFamily: "var(--font-sans, sans-serif)",
      padding: "0.4rem 0.7rem",
      borderLeftColor: "var(--wrong)",
    },
    ".cm-lintRange-error": {
      backgroundImage: "none",
      textDecoration: "underline wavy var(--wrong) 1.5px",
      textUnderlineOffset: "3px",
    },
    ".cm-changedLine": { backgroundColor: "color-mix(in srgb, var(--accent) 14%, transparent) !important" },
    ".cm-changedText": { background: "color-mix(in srgb, var(--accent) 30%, transparent) !important" },
    ".cm-deletedChunk": { backgroundColor: "color-mix(in srgb, var(--wrong) 12%, transparent) !important" },
    ".cm-deletedText": { background: "color-mix(in srgb, var(--wrong) 28%, transparent) !important" },
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
