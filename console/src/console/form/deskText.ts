import {
  isCollection,
  isMap,
  isScalar,
  isSeq,
  parseDocument,
  stringify,
  type Document,
  type Node,
  type Pair,
  type Scalar,
  type YAMLMap,
} from "yaml";

// A desk file is a text. The form changes it where it has to, and nowhere else:
// comments, order and spelling of the rest stay.

export type Path = [string] | [string, string];
export type Value = string | number | boolean | string[] | Record<string, string>[] | undefined;

/** A file as the form reads it; values is empty if it cannot be read. */
export type Reading = { readable: boolean; values: Record<string, unknown> };

export function read(text: string): Reading {
  try {
    const doc = parseDocument(text);
    const values = doc.toJS() as unknown;
    if (!doc.errors.length && values && typeof values === "object" && !Array.isArray(values))
      return { readable: true, values: values as Record<string, unknown> };
  } catch {
    // As below.
  }
  return { readable: false, values: {} };
}

export function valueAt(reading: Reading, path: Path): unknown {
  const top = reading.values[path[0]];
  if (path.length === 1) return top;
  return top && typeof top === "object" ? (top as Record<string, unknown>)[path[1]] : undefined;
}

/** The order in which keys are written. */
const order = [
  "slug",
  "title",
  "purpose",
  "recipe",
  "model",
  "brief",
  "openers",
  "good_for",
  "not_for",
  "knowledge",
  "shelves",
  "attachments",
  "bring",
  "pictures",
  "sound",
  "aloud",
  "choices",
  "sampling",
  "memory",
];

/** Gives a key another value; undefined takes it out. */
export function set(text: string, path: Path, value: Value): string {
  const doc = parseDocument(text, { keepSourceTokens: true });
  if (doc.errors.length || (doc.contents && !isMap(doc.contents))) return text; // the form is closed then
  const before = JSON.stringify(expected(doc, path, value));
  const changed = inPlace(text, doc, path, value);
  if (changed !== null) {
    const check = parseDocument(changed);
    if (!check.errors.length && JSON.stringify(check.toJS()) === before) return changed;
  }
  // Rare shapes, such as maps in braces, are written anew; comments stay.
  if (value === undefined) {
    doc.deleteIn(path);
    const parent = path.length === 2 ? doc.getIn([path[0]], true) : null;
    if (isCollection(parent) && !parent.items.length) doc.deleteIn([path[0]]);
  } else doc.setIn(path, doc.createNode(value));
  return doc.toString({ lineWidth: 0 });
}

/** What the file is to say afterwards, keys in the order of the file. */
function expected(doc: Document, path: Path, value: Value): unknown {
  const values = structuredClone((doc.toJS() ?? {}) as Record<string, unknown>);
  const order = (o: Record<string, unknown>, key: string, v: unknown, after: (k: string) => boolean) => {
    if (v === undefined) {
      delete o[key];
      return o;
    }
    if (key in o) {
      o[key] = v;
      return o;
    }
    const entries = Object.entries(o);
    let i = entries.length;
    while (i > 0 && !after(entries[i - 1]![0])) i--;
    entries.splice(i, 0, [key, v]);
    return Object.fromEntries(entries);
  };
  if (path.length === 1) return order(values, path[0], value, (k) => comesBefore(k, path[0]));
  const inner = order(
    { ...((values[path[0]] as Record<string, unknown>) ?? {}) },
    path[1],
    value,
    () => true,
  );
  return order(values, path[0], Object.keys(inner).length ? inner : undefined, (k) =>
    comesBefore(k, path[0]),
  );
}

const comesBefore = (a: string, b: string) => !order.includes(a) || order.indexOf(a) <= order.indexOf(b);

function inPlace(text: string, doc: Document, path: Path, value: Value): string | null {
  const top = doc.contents as YAMLMap | null;
  if (path.length === 1) return change(text, top, path[0], value, "");
  const parent = top && pairOf(top, path[0]);
  if (!parent)
    return value === undefined
      ? text
      : insert(text, top, path[0], `${path[0]}:\n  ${entry(path[1], value, "  ")}`);
  if (!isMap(parent.value) || parent.value.flow) return null;
  if (value === undefined && parent.value.items.length === 1 && pairOf(parent.value, path[1]))
    return remove(text, parent);
  const column = columnOf(text, (parent.value.items[0]?.key as Node).range![0]);
  return change(text, parent.value, path[1], value, " ".repeat(column), (k) => k !== undefined);
}

function change(
  text: string,
  map: YAMLMap | null,
  key: string,
  value: Value,
  indent: string,
  nested?: (k: string) => boolean,
): string | null {
  const pair = map && pairOf(map, key);
  if (!pair) {
    if (value === undefined) return text;
    if (!nested) return insert(text, map, key, entry(key, value, indent));
    const last = map!.items.at(-1)!;
    return splice(
      text,
      lineEnd(text, endOf(text, last)),
      lineEnd(text, endOf(text, last)),
      `\n${indent}${entry(key, value, indent)}`,
    );
  }
  if (value === undefined) return remove(text, pair);
  if (
    isSeq(pair.value) &&
    !pair.value.flow &&
    Array.isArray(value) &&
    value.every((v) => typeof v === "string")
  ) {
    const one = changeItem(text, pair.value.items as Scalar[], value as string[]);
    if (one !== null) return one;
  }
  const from = (pair.key as Node).range![0];
  return splice(text, from, endOf(text, pair), entry(key, value, indent));
}

/** Changes, adds at the end or takes out one item of a list of texts. */
function changeItem(text: string, items: Scalar[], value: string[]): string | null {
  const old = items.map((i) => String(i.value));
  const at = old.findIndex((o, i) => o !== value[i]);
  const first = at < 0 ? old.length : at;
  const same = (a: string[], b: string[]) => a.length === b.length && a.every((x, i) => x === b[i]);
  if (
    value.length === old.length &&
    first < old.length &&
    same(old.slice(first + 1), value.slice(first + 1))
  ) {
    const range = items[first]!.range!;
    return splice(text, range[0], trimmedEnd(text, range[0], range[1]), scalar(value[first]!, ""));
  }
  if (value.length === old.length + 1 && first === old.length && items.length) {
    const last = items.at(-1)!.range!;
    const dash = text.lastIndexOf("-", last[0]);
    const end = lineEnd(text, trimmedEnd(text, last[0], last[1]));
    return splice(text, end, end, `\n${" ".repeat(columnOf(text, dash))}- ${scalar(value.at(-1)!, "")}`);
  }
  if (value.length === old.length - 1 && value.length && same(old.slice(first + 1), value.slice(first))) {
    const range = items[first]!.range!;
    const start = text.lastIndexOf("\n", text.lastIndexOf("-", range[0])) + 1;
    return splice(
      text,
      start,
      Math.min(text.length, lineEnd(text, trimmedEnd(text, range[0], range[1])) + 1),
      "",
    );
  }
  return null;
}

/** Adds a top-level key behind those that come before it. */
function insert(text: string, map: YAMLMap | null, key: string, lines: string): string {
  const before = (map?.items ?? []).filter((p) => comesBefore(String((p.key as Scalar).value), key));
  const last = before.at(-1);
  if (!last) {
    const first = map?.items[0];
    const at = first ? (first.key as Node).range![0] : text.length;
    return splice(
      text,
      at,
      at,
      first ? lines + "\n" : (text && !text.endsWith("\n") ? "\n" : "") + lines + "\n",
    );
  }
  const end = lineEnd(text, endOf(text, last));
  return splice(text, end, end, "\n" + lines);
}

function remove(text: string, pair: Pair): string {
  const start = text.lastIndexOf("\n", (pair.key as Node).range![0] - 1) + 1;
  return splice(text, start, Math.min(text.length, lineEnd(text, endOf(text, pair)) + 1), "");
}

/** A key with its value, the first line without indentation. */
function entry(key: string, value: Value, indent: string): string {
  if (Array.isArray(value)) {
    const items = value.map((v) => {
      if (typeof v === "string") return `${indent}  - ${scalar(v, indent + "    ")}`;
      const parts = Object.entries(v).map(([k, x]) => `${k}: ${flowScalar(x)}`);
      return `${indent}  - { ${parts.join(", ")} }`;
    });
    return `${key}:\n${items.join("\n")}`;
  }
  return `${key}: ${scalar(value as string | number | boolean, indent + "  ")}`;
}

const longLine = 88;

/** A text, number or yes/no as YAML; long texts as blocks. */
function scalar(value: string | number | boolean, indent: string): string {
  if (typeof value !== "string") return String(value);
  const plainLines = !/^[ \t]|[ \t]$/m.test(value) && !/\n\n$/.test(value) && value.trim() !== "";
  if (indent && plainLines && (value.includes("\n") || value.length > longLine)) {
    const chomp = value.endsWith("\n") ? "" : "-";
    if (!value.includes("\n"))
      return (
        `>${chomp}\n` +
        wrap(value, longLine - indent.length)
          .map((l) => indent + l)
          .join("\n")
      );
    return (
      `|${chomp}\n` +
      value
        .replace(/\n$/, "")
        .split("\n")
        .map((l) => (l ? indent + l : ""))
        .join("\n")
    );
  }
  return stringify(value, { lineWidth: 0, defaultStringType: "PLAIN" }).trimEnd().includes("\n")
    ? JSON.stringify(value)
    : stringify(value, { lineWidth: 0 }).trimEnd();
}

const flowScalar = (value: string) =>
  /^[\w][\w ./'-]*$/.test(value) && typeof parseDocument(value).toJS() === "string"
    ? value
    : JSON.stringify(value);

function wrap(text: string, width: number): string[] {
  const lines: string[] = [];
  for (const word of text.split(" ")) {
    const last = lines.at(-1);
    if (last !== undefined && last.length + 1 + word.length <= width)
      lines[lines.length - 1] = `${last} ${word}`;
    else lines.push(word);
  }
  return lines;
}

const pairOf = (map: YAMLMap, key: string) =>
  map.items.find((p) => isScalar(p.key) && p.key.value === key) as Pair | undefined;
const splice = (text: string, from: number, to: number, by: string) =>
  text.slice(0, from) + by + text.slice(to);
const lineEnd = (text: string, at: number) =>
  text.indexOf("\n", at) < 0 ? text.length : text.indexOf("\n", at);
const columnOf = (text: string, at: number) => at - (text.lastIndexOf("\n", at - 1) + 1);
const trimmedEnd = (text: string, from: number, to: number) => from + text.slice(from, to).trimEnd().length;

/** Where a key's value ends, without the white space behind it. */
function endOf(text: string, pair: Pair): number {
  const key = (pair.key as Node).range!;
  const value = pair.value as Node | null;
  if (!value?.range) return text.indexOf(":", key[1]) + 1;
  if (isCollection(value) && !value.flow && value.items.length) {
    const last = value.items.at(-1)!;
    return isScalar(last)
      ? trimmedEnd(text, last.range![0], last.range![1])
      : "key" in (last as object)
        ? endOf(text, last as Pair)
        : trimmedEnd(text, (last as Node).range![0], (last as Node).range![1]);
  }
  return Math.max(trimmedEnd(text, key[0], value.range[1]), text.indexOf(":", key[1]) + 1);
}

/** A slug for a title. */
export function slugOf(title: string): string {
  return title
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/^(the|a|an) /, "")
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-+|-+$/g, "")
    .slice(0, 60)
    .replace(/-+$/, "");
}

/** The file that a new desk begins with. */
export function deskTemplate(d: { slug: string; title: string; purpose: string; model: string }): string {
  return `${entry("slug", d.slug, "")}
${entry("title", d.title, "")}
${entry("purpose", d.purpose, "")}
${entry("model", d.model, "")}

# Standing instructions that the model gets with every question.
brief: |
  Answer kindly and precisely. If you do not know something, say so.

# Questions that a visitor can begin with.
openers:
  - What can you help me with?
`;
}
