import { EventSourceParserStream } from "eventsource-parser/stream";
import type { Schemas } from "../pageData";

/** One event of a reply's stream. */
export type ReplyEvent =
  | { name: "begin"; id: string; data: Schemas["Begin"] }
  | { name: "text"; id: string; data: Schemas["Text"] }
  | { name: "lane"; id: string; data: Schemas["LaneText"] }
  | { name: "thought"; id: string; data: Schemas["LaneText"] }
  | { name: "notice"; id: string; data: Schemas["Notice"] }
  | { name: "piece"; id: string; data: Schemas["Piece"] }
  | { name: "end"; id: string; data: Schemas["Outcome"] };

/** Reads a response's event stream; events without a name or data are left out. */
export async function* readEvents(response: Response): AsyncGenerator<ReplyEvent> {
  const events = response
    .body!.pipeThrough(new TextDecoderStream())
    .pipeThrough(new EventSourceParserStream())
    .getReader();
  for (;;) {
    const { value, done } = await events.read();
    if (done) return;
    if (value.event && value.data)
      yield { name: value.event, id: value.id ?? "", data: JSON.parse(value.data) } as ReplyEvent;
  }
}
