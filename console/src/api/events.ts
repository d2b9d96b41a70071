import type { Schemas } from "../given";

/** One event of a reply's stream. */
export type ReplyEvent =
  | { name: "begin"; id: string; data: Schemas["Begin"] }
  | { name: "text"; id: string; data: Schemas["Text"] }
  | { name: "lane"; id: string; data: Schemas["LaneText"] }
  | { name: "notice"; id: string; data: Schemas["Notice"] }
  | { name: "end"; id: string; data: Schemas["Outcome"] };

/** Reads a response's event stream (HTML standard, 9.2). */
export async function* readEvents(response: Response): AsyncGenerator<ReplyEvent> {
  const reader = response.body!.pipeThrough(new TextDecoderStream()).getReader();
  let rest = "";
  for (;;) {
    const { value, done } = await reader.read();
    if (done) return;
    const frames = (rest + value).split("\n\n");
    rest = frames.pop()!;
    for (const frame of frames) {
      const event = parse(frame);
      if (event) yield event;
    }
  }
}

function parse(frame: string): ReplyEvent | null {
  const fields: Record<string, string> = {};
  for (const line of frame.split("\n")) {
    const colon = line.indexOf(": ");
    if (colon > 0) fields[line.slice(0, colon)] = line.slice(colon + 2);
  }
  if (!fields.event || !fields.data) return null;
  return { name: fields.event, id: fields.id ?? "", data: JSON.parse(fields.data) } as ReplyEvent;
}
