import { marked, type Token, type Tokens } from "marked";

/** A piece of a reply that is shown on its own and, once whole, never again. */
export type Block =
  | { key: number; kind: "html"; source: string }
  | { key: number; kind: "code"; source: string; language: string; whole: boolean };

/**
 * Cuts a growing Markdown text into blocks. Only the last block is read again
 * when the text has grown; the ones before it keep their identity.
 */
export class Blocks {
  #text = "";
  #blocks: Block[] = [];
  #from = 0; // where the last block begins

  update(text: string, growing: boolean): Block[] {
    if (!text.startsWith(this.#text)) {
      this.#blocks = [];
      this.#from = 0;
    }
    this.#text = text;
    const kept = this.#blocks.slice(0, -1);
    const fresh: Block[] = [];
    let from = this.#from;
    let position = from;
    for (const token of marked.lexer(text.slice(from))) {
      if (token.type !== "space") {
        fresh.push(blockOf(token, kept.length + fresh.length));
        from = position;
      }
      position += token.raw.length;
    }
    this.#from = from;
    this.#blocks = [...kept, ...fresh];
    return growing ? settle(this.#blocks) : this.#blocks;
  }
}

function blockOf(token: Token, key: number): Block {
  if (token.type !== "code") return { key, kind: "html", source: token.raw };
  const code = token as Tokens.Code;
  return {
    key,
    kind: "code",
    source: code.text,
    language: (code.lang ?? "").split(/\s/)[0]!.toLowerCase(),
    whole: code.codeBlockStyle === "indented" || /\n\s*(```+|~~~+)\s*$/.test(code.raw),
  };
}

/** Makes the last block of a growing text presentable. */
function settle(blocks: Block[]): Block[] {
  const last = blocks.at(-1);
  if (last?.kind !== "html") return blocks;
  const source = closeInline(last.source);
  // A table's first row is held back until it is known to be one.
  if (/^\s*\|[^\n]*(\n[\s|:-]*)?$/.test(last.source)) return blocks.slice(0, -1);
  return [...blocks.slice(0, -1), { ...last, source }];
}

/** Closes emphasis, code and links that are still being written. */
export function closeInline(source: string): string {
  const line = source.lastIndexOf("\n") + 1;
  let tail = source
    .slice(line)
    .replace(/!?\[[^\]]*(\]\([^)]*)?$/, "")
    .replace(/(^|\s)([*_]{1,2}|`|#{1,6}|[-+]|\d{1,3}\.)$/, "$1");
  if (count(tail, "`") % 2) return source.slice(0, line) + tail + "`";
  if (count(tail, "**") % 2) tail = tail.replace(/\s+$/, "") + "**";
  else if (count(tail.replaceAll("**", "").replace(/^\s*\*\s/, ""), "*") % 2)
    tail = tail.replace(/\s+$/, "") + "*";
  return source.slice(0, line) + tail;
}

const count = (text: string, mark: string) => text.split(mark).length - 1;
