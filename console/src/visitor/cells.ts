import type { Schemas } from "../pageData";
import { say } from "../words";

type Head = Pick<Schemas["TableHead"], "kind" | "unit">;

const numbers = ["whole", "decimal", "money", "percent"];

/** Whether cells of a kind are numbers. */
export const isNumber = (kind: string) => numbers.includes(kind);

/** A cell as people read it: thousands apart, no more decimals than matter. */
export function shown(cell: string, of: Head): string {
  if (cell === "") return "";
  if (of.kind === "yesno") return cell === "true" ? say.tables.yes : say.tables.no;
  if (of.kind === "text" && /^(1[89]|20)\d\d-(0[1-9]|1[0-2])$/.test(cell))
    return say.tables.month(new Date(`${cell}-15T12:00:00`));
  if (!isNumber(of.kind)) return cell;
  const n = Number(cell);
  if (!Number.isFinite(n)) return cell;
  const unit = of.unit ? ` ${of.unit}` : "";
  if (!of.unit && /^(1[89]|20)\d\d$/.test(cell)) return cell; // a year
  const text = say.tables.cell(
    n,
    Math.abs(n) >= 1 || n === 0
      ? {
          minimumFractionDigits: of.kind === "money" && !Number.isInteger(n) ? 2 : 0,
          maximumFractionDigits: 2,
        }
      : { maximumSignificantDigits: 3 },
  );
  return text + unit;
}

/** Sorts rows by a column, numbers as numbers, what is missing last. */
export function sorted(rows: string[][], column: number, kind: string, down: boolean): string[][] {
  const way = down ? -1 : 1;
  return [...rows].sort((a, b) => {
    const [x, y] = [a[column] ?? "", b[column] ?? ""];
    if (x === "" || y === "") return x === y ? 0 : x === "" ? 1 : -1;
    return way * (isNumber(kind) ? Number(x) - Number(y) : x.localeCompare(y));
  });
}

/** Draws a picture of an SVG element as it stands on the page, twice as large. */
export async function pngOf(svg: SVGSVGElement): Promise<Blob> {
  const probe = document.createElement("span");
  document.body.append(probe);
  const colour = (name: string) => {
    probe.style.color = `var(${name})`;
    return getComputedStyle(probe).color;
  };
  const { width, height } = svg.getBoundingClientRect();
  const copy = svg.cloneNode(true) as SVGSVGElement;
  copy.setAttribute("xmlns", "http://www.w3.org/2000/svg");
  copy.setAttribute("width", String(width));
  copy.setAttribute("height", String(height));
  const text = new XMLSerializer()
    .serializeToString(copy)
    .replace(/var\((--[a-z-]+)\)/g, (_, name: string) => colour(name));
  const paper = colour("--paper");
  probe.remove();
  const image = new Image();
  const address = URL.createObjectURL(new Blob([text], { type: "image/svg+xml" }));
  try {
    await new Promise((done, failed) => {
      image.onload = done;
      image.onerror = failed;
      image.src = address;
    });
    const canvas = document.createElement("canvas");
    canvas.width = width * 2;
    canvas.height = height * 2;
    const on = canvas.getContext("2d")!;
    on.fillStyle = paper;
    on.fillRect(0, 0, canvas.width, canvas.height);
    on.drawImage(image, 0, 0, canvas.width, canvas.height);
    return await new Promise<Blob>((done, failed) =>
      canvas.toBlob((b) => (b ? done(b) : failed(new Error("no picture")))),
    );
  } finally {
    URL.revokeObjectURL(address);
  }
}

/** A text of at most so many characters. */
export const cut = (s: string, most: number) =>
  s.length > most ? say.charts.shortened(s.slice(0, Math.max(1, most - 1))) : s;
