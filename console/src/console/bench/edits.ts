import { parseDocument, Scalar, YAMLMap, YAMLSeq, type Document } from "yaml";
import type { Schemas } from "../../pageData";

export type Edits = Schemas["Edits"];

/** Whether edits can become a revision: a prompt that was typed over holds for one question only. */
export const publishable = (e: Edits) => !e.inputs || Object.keys(e.inputs).length === 0;

/**
 * Writes edits into a desk file; comments and order stay. source is the text
 * of the desk's recipe, which becomes the desk's own where a step's settings
 * were changed.
 */
export function applied(file: string, source: string, recipe: string, e: Edits): string {
  const doc = parseDocument(file);
  if (e.brief !== undefined) doc.set("brief", block(doc, e.brief));
  if (e.model) doc.set("model", e.model);
  for (const [key, v] of Object.entries(e.sampling ?? {})) doc.setIn(["sampling", key], v);
  for (const [key, v] of Object.entries(e.settings ?? {})) doc.setIn(["recipe_settings", key], v);
  if (e.set && Object.keys(e.set).length) {
    const own = parseDocument(source);
    for (const [path, set] of Object.entries(e.set)) {
      const step = find(own, path.split("/"));
      if (!step) continue;
      for (const [key, v] of Object.entries(set)) {
        if (!step.has("set")) step.set("set", own.createNode({}));
        step.setIn(["set", key], typeof v === "string" && v.includes("\n") ? block(own, v) : v);
      }
    }
    if (!String(doc.get("recipe") ?? "").endsWith(".recipe.yaml")) doc.set("recipe", `${recipe}.recipe.yaml`);
    doc.set("own_recipe", block(doc, String(own)));
  }
  return String(doc);
}

/** What a recipe leaves to the desk. */
export interface RecipeSetting {
  name: string;
  title: string;
  /** What may be chosen; null: it is written. */
  choices: string[] | null;
}

/** The settings that the text of a recipe has. */
export function settingsOf(source: string): RecipeSetting[] {
  const read = parseDocument(source).toJS() as { settings?: Record<string, unknown>[] } | null;
  return (read?.settings ?? []).map((s) => ({
    name: String(s.name),
    title: String(s.title ?? s.name),
    choices: Array.isArray(s.choices) ? s.choices.map(String) : null,
  }));
}

/** A value as somebody writes it in a desk file: a number, a list, or plain words. */
export const written = (text: string): unknown => parseDocument(text).toJS() as unknown;

/** A text that is written over several lines. */
function block(doc: Document, text: string): Scalar {
  const node = doc.createNode(text) as Scalar;
  if (text.includes("\n")) node.type = Scalar.BLOCK_LITERAL;
  return node;
}

/** The step at a path, GROUP/STEP within a group. */
function find(doc: Document, path: string[]): YAMLMap | null {
  let steps: unknown = doc.get("steps");
  let step: YAMLMap | null = null;
  for (const name of path) {
    if (!(steps instanceof YAMLSeq)) return null;
    step =
      (steps.items.find((s) => s instanceof YAMLMap && s.get("name") === name) as YAMLMap | undefined) ??
      null;
    steps = step?.get("steps");
  }
  return step;
}
