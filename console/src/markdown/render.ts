import DOMPurify from "dompurify";
import { marked } from "marked";

marked.use({ gfm: true, breaks: false });

// Whatever a model writes, it is shown as text and simple markup: no forms, no
// scripts, no styles, nothing fetched from another site.
const allowed = {
  ALLOWED_TAGS: [
    "a",
    "blockquote",
    "br",
    "code",
    "dd",
    "del",
    "div",
    "dl",
    "dt",
    "em",
    "h1",
    "h2",
    "h3",
    "h4",
    "h5",
    "h6",
    "hr",
    "li",
    "ol",
    "p",
    "pre",
    "s",
    "span",
    "strong",
    "sub",
    "sup",
    "table",
    "tbody",
    "td",
    "th",
    "thead",
    "tr",
    "ul",
  ],
  ALLOWED_ATTR: ["href", "title", "start", "align", "tabindex", "role", "aria-label"],
};

DOMPurify.addHook("afterSanitizeAttributes", (node) => {
  if (node.tagName === "A") {
    node.setAttribute("target", "_blank");
    node.setAttribute("rel", "noopener noreferrer nofollow");
  }
});

const renderer = new marked.Renderer();
// Headings of a reply stand below the question, which is the page's second
// level; pictures become links; wide tables scroll on their own.
renderer.heading = function ({ tokens, depth }) {
  const level = Math.min(depth + 2, 6);
  return `<h${level}>${this.parser.parseInline(tokens)}</h${level}>`;
};
renderer.checkbox = ({ checked }) =>
  checked ? `<span role="img" aria-label="done">☑</span> ` : `<span role="img" aria-label="to do">☐</span> `;
renderer.image = ({ href, text }) =>
  `<a href="${href.replaceAll('"', "%22")}">${escapeText(text || href)}</a>`;
const table = renderer.table;
renderer.table = function (token) {
  return `<div role="region" aria-label="Table" tabindex="0">${table.call(this, token)}</div>`;
};

// Formulas between $ or \\( \\) in a line, between $$ or \\[ \\] on their own. A
// dollar before a figure is money: the closing one must follow a letter, sign or
// bracket directly and no figure may come after it.
const inline = /^(?:\\\(([^\n]+?)\\\)|\$(?![\s$])((?:\\.|[^$\n\\])*?[^\s\\$])\$(?![\d$]))/;
const display = /^(?:\$\$([\s\S]+?)\$\$|\\\[([\s\S]+?)\\\])/;
const formula = (tex: string, kind: string) => `<code data-tex="${kind}">${escapeText(tex.trim())}</code>`;

marked.use({
  extensions: [
    {
      name: "formula",
      level: "inline",
      start: (source) => source.match(/\$|\\[([]/)?.index,
      tokenizer(source) {
        const found = display.exec(source) ?? inline.exec(source);
        if (found)
          return {
            type: "formula",
            raw: found[0],
            tex: found[1] ?? found[2],
            kind: display.test(source) ? "display" : "inline",
          };
      },
      renderer: (token) => formula(token.tex, token.kind),
    },
    {
      name: "displayFormula",
      level: "block",
      start: (source) => source.match(/^ {0,3}(\$\$|\\\[)/m)?.index,
      tokenizer(source) {
        const found = /^ {0,3}(?:\$\$([\s\S]+?)\$\$|\\\[([\s\S]+?)\\\]) *(?:\n|$)/.exec(source);
        if (found) return { type: "displayFormula", raw: found[0], tex: found[1] ?? found[2] };
      },
      renderer: (token) => `<p>${formula(token.tex, "display")}</p>`,
    },
  ],
});

/** Turns Markdown into HTML that is safe to show. */
export function render(source: string): string {
  return DOMPurify.sanitize(marked.parse(source, { renderer, async: false }), allowed);
}

const escapeText = (text: string) =>
  text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;");
