<!-- A brush that says where a picture is to be changed: by mouse, finger or numbers. -->
<script lang="ts">
  import { say } from "../words";
  import { tick } from "svelte";
  import { Trouble } from "../api/service";
  import { upload } from "../api/upload";
  import { masks } from "../api/visiting";
  import type { Schemas } from "../pageData";
  import Dialog from "../ui/Dialog.svelte";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** Where the picture is that is painted over. */
    src: string;
    /** The conversation that the picture belongs to. */
    conversation: string;
    /** Takes the id of what was painted. */
    painted: (id: string) => void;
  }

  let { open = $bindable(), src, conversation, painted }: Props = $props();

  type Stroke =
    | { size: number; points: [number, number][] }
    | { left: number; top: number; width: number; height: number };

  let canvas: HTMLCanvasElement | undefined = $state();
  let width = $state(0);
  let height = $state(0);
  let strokes = $state<Stroke[]>([]);
  let size = $state(8);
  let problem = $state("");
  let sending = $state(false);
  let box = $state({ left: 25, top: 25, width: 50, height: 50 });
  let drawing: Stroke | null = null;

  function loaded(e: Event) {
    const image = e.currentTarget as HTMLImageElement;
    width = image.naturalWidth;
    height = image.naturalHeight;
    void tick().then(draw);
  }

  /** Draws the strokes, in a colour, on a canvas of the picture's size. */
  function paint(on: CanvasRenderingContext2D, colour: string) {
    on.fillStyle = on.strokeStyle = colour;
    on.lineCap = on.lineJoin = "round";
    for (const s of strokes) {
      if ("left" in s) {
        on.fillRect(
          (s.left * width) / 100,
          (s.top * height) / 100,
          (s.width * width) / 100,
          (s.height * height) / 100,
        );
        continue;
      }
      on.lineWidth = (s.size * Math.max(width, height)) / 100;
      on.beginPath();
      s.points.forEach(([x, y], i) => (i ? on.lineTo(x, y) : on.moveTo(x, y)));
      if (s.points.length === 1) on.lineTo(s.points[0]![0] + 0.1, s.points[0]![1]);
      on.stroke();
    }
  }

  function draw() {
    const on = canvas?.getContext("2d");
    if (!on) return;
    on.clearRect(0, 0, width, height);
    if (!strokes.length) return;
    // What stays is dimmed, so that paint is seen on a picture of any colour.
    on.globalCompositeOperation = "source-over";
    on.fillStyle = "rgb(0 0 0 / 0.62)";
    on.fillRect(0, 0, width, height);
    on.globalCompositeOperation = "destination-out";
    paint(on, "black");
    on.globalCompositeOperation = "source-over";
  }

  function at(e: PointerEvent): [number, number] {
    const r = canvas!.getBoundingClientRect();
    return [((e.clientX - r.left) * width) / r.width, ((e.clientY - r.top) * height) / r.height];
  }

  function down(e: PointerEvent) {
    canvas!.setPointerCapture(e.pointerId);
    drawing = { size, points: [at(e)] };
    strokes.push(drawing);
    drawing = strokes.at(-1)!;
    draw();
  }

  function move(e: PointerEvent) {
    if (!drawing || !("points" in drawing)) return;
    drawing.points.push(at(e));
    draw();
  }

  function addBox() {
    strokes.push({ ...box });
    draw();
  }

  function undo() {
    strokes.pop();
    draw();
  }

  async function use() {
    problem = "";
    sending = true;
    const own = document.createElement("canvas");
    own.width = width;
    own.height = height;
    const on = own.getContext("2d")!;
    on.fillStyle = "black";
    on.fillRect(0, 0, width, height);
    paint(on, "white");
    try {
      const blob = await new Promise<Blob | null>((done) => own.toBlob(done, "image/png"));
      const file = new File([blob!], "mask.png", { type: "image/png" });
      const { mask } = await upload<Schemas["PicturesGiven"]>(
        masks(conversation),
        [{ name: file.name, file }],
        () => {},
      );
      painted(mask!.id);
      open = false;
    } catch (e) {
      problem = e instanceof Trouble ? e.detail : say.pictures.notSent;
    } finally {
      sending = false;
    }
  }

  const sides = ["left", "top", "width", "height"] as const;
</script>

<Dialog bind:open title={say.brush.title} about={say.brush.about} width="46rem" cross={say.general.close}>
  <div class="mt-4 grid place-items-center overflow-hidden rounded border border-rule bg-leaf">
    <div class="relative max-h-[44dvh]">
      <img class="block max-h-[44dvh] max-w-full" {src} alt={say.brush.picture} onload={loaded} />
      <canvas
        bind:this={canvas}
        {width}
        {height}
        class="absolute inset-0 size-full cursor-crosshair touch-none"
        aria-hidden="true"
        onpointerdown={down}
        onpointermove={move}
        onpointerup={() => (drawing = null)}
        onpointercancel={() => (drawing = null)}></canvas>
    </div>
  </div>
  <div class="mt-3 flex flex-wrap items-end gap-x-5 gap-y-2 text-fine text-faded">
    <label
      >{say.brush.size}
      <input
        class="mt-2 block w-40 accent-[var(--accent)]"
        type="range"
        min="1"
        max="30"
        bind:value={size} /></label>
    <button class="button-plain" disabled={!strokes.length} onclick={undo}>{say.brush.undo}</button>
    <button class="button-plain" disabled={!strokes.length} onclick={() => ((strokes = []), draw())}
      >{say.brush.clear}</button>
  </div>
  <details class="mt-3 text-fine">
    <summary class="min-h-7 cursor-pointer text-accent">{say.brush.byNumbers}</summary>
    <div class="mt-2 flex flex-wrap items-end gap-3 text-faded">
      {#each sides as side (side)}
        <label
          >{say.brush.sides[side]}
          <input
            class="field mt-1 !min-h-9 w-20 text-ink"
            type="number"
            min="0"
            max="100"
            bind:value={box[side]} /></label>
      {/each}
      <button class="button-plain" onclick={addBox}>{say.brush.addBox}</button>
    </div>
  </details>
  <p class="sr-only" role="status">{say.brush.spoken(strokes.length)}</p>
  {#if problem}<p class="mt-2 text-fine text-wrong" role="alert">{problem}</p>{/if}
  <div class="mt-4 flex gap-2">
    <button class="button-main" disabled={!strokes.length || sending} onclick={use}>{say.brush.use}</button>
  </div>
</Dialog>
