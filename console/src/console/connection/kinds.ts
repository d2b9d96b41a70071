import type { Schemas } from "../../pageData";

/** The ways in which a model can be asked. */
export const kinds = [
  { kind: "chat-completions", title: "A model server", about: "It speaks the protocol that most do." },
  { kind: "endpoint", title: "Any HTTP address", about: "Say what to send, and where the reply stands." },
  { kind: "program", title: "A program", about: "On the machine that this service runs on." },
] as const;

export type Kind = (typeof kinds)[number]["kind"];

export const newEndpoint = (): Schemas["Endpoint"] => ({
  body: '{"prompt": {{json .prompt}}, "max_tokens": {{.max_tokens}}}',
});

export const newProgram = (): Schemas["Program"] => ({ run: [""] });

export const newJob = (): NonNullable<Schemas["Endpoint"]["job"]> => ({ address: "", state: "", done: [] });

/** A connection in which what does not go with its kind, and what is empty, is left out. */
export function fitting(c: Schemas["Connection"]): Schemas["Connection"] {
  const { endpoint, program, ...rest } = c;
  if (c.protocol === "program")
    return { ...rest, address: "", program: { ...program!, run: program!.run.filter((w) => w.trim()) } };
  if (c.protocol === "endpoint") return { ...rest, endpoint };
  return rest;
}

/** Headers as lines of NAME: VALUE, and back. */
export const linesOf = (headers: Record<string, string> = {}) =>
  Object.entries(headers)
    .map(([name, value]) => `${name}: ${value}`)
    .join("\n");

export function headersOf(lines: string): Record<string, string> | undefined {
  const pairs = lines
    .split("\n")
    .map((line) => line.match(/^\s*([^:\s]+)\s*:\s*(.*?)\s*$/))
    .filter((m) => m !== null)
    .map((m) => [m[1]!, m[2]!] as const);
  return pairs.length ? Object.fromEntries(pairs) : undefined;
}

/** Words with commas or spaces between, and back. */
export const wordsOf = (text: string) => text.split(/[\s,]+/).filter(Boolean);

/** A name made of a program's path, like answer of /srv/answer.py. */
export const nameOf = (program: string) =>
  (program.trim().split(/\s/)[0] ?? "")
    .replace(/^.*\//, "")
    .replace(/\.\w+$/, "")
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, "-")
    .replace(/^-|-$/g, "");
