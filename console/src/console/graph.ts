import type { Schemas } from "../pageData";

export type Box = Schemas["Drawing"]["boxes"][number];

/** Which box an arrow key leads to from one of a drawing; undefined: none does. */
export function nextBox(drawing: Schemas["Drawing"], from: string, key: string): string | undefined {
  const box = drawing.boxes.find((b) => b.name === from);
  if (!box) return undefined;
  const middle = (b: Box) => b.x + b.w / 2;
  const nearest = (names: string[]) =>
    drawing.boxes
      .filter((b) => names.includes(b.name) && b.name !== from)
      .sort((a, b) => Math.abs(middle(a) - middle(box)) - Math.abs(middle(b) - middle(box)) || a.y - b.y)[0]
      ?.name;
  switch (key) {
    case "ArrowDown":
      return nearest(drawing.wires.filter((w) => w.from === from).map((w) => w.to));
    case "ArrowUp":
      return nearest(drawing.wires.filter((w) => w.to === from).map((w) => w.from));
    case "ArrowLeft":
    case "ArrowRight": {
      const side = key === "ArrowRight" ? 1 : -1;
      return drawing.boxes
        .filter((b) => b.y < box.y + box.h && box.y < b.y + b.h && side * (middle(b) - middle(box)) > 0)
        .sort((a, b) => Math.abs(middle(a) - middle(box)) - Math.abs(middle(b) - middle(box)))[0]?.name;
    }
    case "Home":
      return drawing.boxes[0]?.name;
    case "End":
      return drawing.boxes.at(-1)?.name;
  }
  return undefined;
}
