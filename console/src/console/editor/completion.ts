import type { Completion, CompletionContext, CompletionResult } from "@codemirror/autocomplete";
import type { Text } from "@codemirror/state";
import type { DeskSchema } from "../../api/making";

/** What can be written where: from the schema of desk files, and the models there are. */
export function completer(schema: () => DeskSchema | null, models: () => string[]) {
  return (context: CompletionContext): CompletionResult | null => {
    const root = schema();
    if (!root) return null;
    const line = context.state.doc.lineAt(context.pos);
    const before = line.text.slice(0, context.pos - line.from);
    const value = /^(\s*(?:- )?\{?.*?)(?:^|\s|\{|,)?([a-z_]+):\s+([^\s#{}[\],]*)$/.exec(before);
    const path = pathAt(context.state.doc, line.number, before);
    const here = path.reduce<DeskSchema | undefined>(
      (s, key) => s?.properties?.[key] ?? s?.items?.properties?.[key] ?? s,
      root,
    );
    if (value) {
      const key = value[2]!;
      const options = valuesOf(key, here?.properties?.[key] ?? here?.items?.properties?.[key], models());
      return options.length ? { from: context.pos - value[3]!.length, options } : null;
    }
    const word = /(?:^|[\s{,])([a-z_]*)$/.exec(before);
    if (
      !word ||
      (!word[1] && !context.explicit) ||
      before.includes("#") ||
      /[:"']/.test(before.replace(/\{[^}]*$/, ""))
    )
      return null;
    const properties = here?.properties ?? here?.items?.properties;
    if (!properties) return null;
    return { from: context.pos - word[1]!.length, options: keysOf(properties, here?.required ?? []) };
  };
}

/** The keys that lead to a line: those above it that are indented less. */
function pathAt(doc: Text, number: number, before: string): string[] {
  let indent = /^\s*(?:- )?/.exec(before)![0].length;
  const path: string[] = [];
  for (let n = number - 1; n > 0 && indent > 0; n--) {
    const found = /^(\s*)([a-z_]+):/.exec(doc.line(n).text);
    if (!found || found[1]!.length >= indent) continue;
    indent = found[1]!.length;
    path.unshift(found[2]!);
  }
  return path;
}

function keysOf(properties: Record<string, DeskSchema>, required: string[]): Completion[] {
  return Object.entries(properties).map(([key, s]) => ({
    label: key,
    apply: s.type === "object" || s.type === "array" ? `${key}:` : `${key}: `,
    detail: required.includes(key) ? "needed" : undefined,
    info: s.description,
    boost: required.includes(key) ? 1 : 0,
  }));
}

function valuesOf(key: string, s: DeskSchema | undefined, models: string[]): Completion[] {
  if (key === "model") return models.map((label) => ({ label, detail: "model" }));
  if (s?.enum) return s.enum.map((label) => ({ label }));
  if (s?.type === "boolean") return [{ label: "true" }, { label: "false" }];
  return [];
}
