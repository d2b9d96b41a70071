import DOMPurify from "dompurify";
import { marked } from "marked";

marked.use({ gfm: true, breaks: false });

// Whatever a model writes, it is shown as text and simple markup: no forms, no
// scripts, no styles, nothing fetched from another site.
const allowed = {
  ALLOWED_TAGS: [
    "a", "blockquote", "br", "code", "dd", "del", "div", "dl", "dt", "em", "h1", "h2", "h3", "h4", "h5", "h6", "hr",
    "li", "ol", "p", "pre", "s", "span", "strong", "sub", "sup", "table", "tbody", "td", "th", "thead", "tr", "ul",
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
renderer.checkbox = ({ checked }) => (checked ? `<span role="img" aria-label="done">☑</span> ` : `<span role="img" aria-label="to do">☐</span> `);
renderer.image = ({ href, text }) => `<a href="${href.replaceAll('"', "%22")}">${escapeText(text || href)}</a>`;
const table = renderer.table;
renderer.table = function (token) {
  return `<div role="region" aria-label="Table" tabindex="0">${table.call(this, token)}</div>`;
};

/** Turns Markdown into HTML that is safe to show. */
export function render(source: string): string {
  return DOMPurify.sanitize(marked.parse(source, { renderer, async: false }), allowed);
}

const escapeText = (text: string) => text.replaceAll("&", "&amp;").replaceAll("<", "&lt;").replaceAll(">", "&gt;");
