<!-- A recipe as a graph. By keyboard one box is reached with Tab; from there
     the arrows go along the wires: down to what takes from it, up to what it
     takes from, left and right to what stands beside it. -->
<script lang="ts">
  import type { Schemas } from "../pageData";
  import { nextBox, type Box } from "./graph";

  interface Props {
    /** The recipe as it is laid out. */
    drawing: Schemas["Drawing"];
    /** How the steps of a reply went, by name. Default: it is drawn without. */
    states?: Record<string, string>;
    /** Called with the step whose box is pressed. Default: boxes cannot be pressed. */
    choose?: (step: string) => void;
  }

  let { drawing, states = {}, choose }: Props = $props();

  const ends = ["inputs", "settings", "reply"];
  const id = $props.id();
  /** The box that Tab reaches. */
  let at = $state("");
  const current = $derived(drawing.boxes.some((b) => b.name === at) ? at : drawing.boxes[0]?.name);
  let svg: SVGSVGElement | undefined = $state();

  function pressed(e: KeyboardEvent, box: Box) {
    if ((e.key === "Enter" || e.key === " ") && choose && !ends.includes(box.kind)) {
      e.preventDefault();
      choose(box.name);
      return;
    }
    const next = nextBox(drawing, box.name, e.key);
    if (next === undefined) return;
    e.preventDefault();
    at = next;
    svg?.querySelector<SVGGElement>(`[data-box="${CSS.escape(next)}"]`)?.focus();
  }

  /** What stands below a box's name. */
  function below(box: Box): string[] {
    if (box.kind === "inputs" || box.kind === "settings") return box.gives ?? [];
    const kind = states[box.name] ? `${box.kind}, ${states[box.name]}` : box.kind;
    return [...(box.kind === "reply" ? [] : [kind]), ...(box.notes ?? [])];
  }

  /** What a screen reader says of a box: what is written on it, and what leads there. */
  function told(box: Box): string {
    const wires = drawing.wires.filter((w) => w.to === box.name);
    const from = wires.map((w) => `${w.label} from ${w.from}`).join("; ");
    return [box.title, ...below(box), from && `takes ${from}`].filter(Boolean).join(" ");
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class="overflow-x-auto" tabindex="0" role="region" aria-label="The recipe {drawing.name} as a graph">
  <svg
    bind:this={svg}
    class="graph"
    width={drawing.width}
    height={drawing.height}
    viewBox="0 0 {drawing.width} {drawing.height}"
    role="group"
    aria-label="Steps; the arrow keys go along the wires">
    <defs
      ><marker
        id="{id}-tip"
        viewBox="0 0 8 8"
        refX="7"
        refY="4"
        markerWidth="7"
        markerHeight="7"
        orient="auto"><path d="M0 0 L8 4 L0 8 z" fill="var(--faded)" /></marker
      ></defs>
    {#each drawing.boxes as box (box.name)}
      <!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_static_element_interactions -->
      <g
        class={["box", states[box.name], box.group && "group", ends.includes(box.kind) && "end"]}
        data-box={box.name}
        role={choose && !ends.includes(box.kind) ? "button" : "img"}
        aria-label={told(box)}
        tabindex={box.name === current ? 0 : -1}
        onfocus={() => (at = box.name)}
        onkeydown={(e) => pressed(e, box)}
        onclick={() => !ends.includes(box.kind) && choose?.(box.name)}>
        <rect x={box.x} y={box.y} width={box.w} height={box.h} rx="4" />
        <text class="name" x={box.x + 12} y={box.y + 20}>{box.title + " "}</text>
        {#each below(box) as line, i (i)}
          <text
            class={i > 0 && !ends.includes(box.kind) ? "note" : "small"}
            x={box.x + 12}
            y={box.y + 37 + 16 * i}>{line + " "}</text>
        {/each}
      </g>
    {/each}
    {#each drawing.wires as wire, i (i)}<path class="wire" d={wire.path} marker-end="url(#{id}-tip)" />{/each}
    {#each drawing.wires as wire, i (i)}<text class={["label", wire.side && "side"]} x={wire.x} y={wire.y}
        >{wire.label}</text
      >{/each}
  </svg>
</div>

<style>
  .graph {
    display: block;
    font-size: 12px;
  }
  rect {
    fill: var(--paper);
    stroke: var(--field);
  }
  .group rect,
  .end rect {
    fill: var(--leaf);
  }
  .name {
    font-size: 13.5px;
    font-weight: 600;
    fill: var(--ink);
  }
  .small {
    fill: var(--faded);
  }
  .note {
    fill: var(--accent);
  }
  .wire {
    fill: none;
    stroke: var(--faded);
    stroke-width: 1.2;
  }
  .label {
    font-size: 11px;
    text-anchor: middle;
    fill: var(--ink);
    stroke: var(--paper);
    stroke-width: 4px;
    paint-order: stroke;
  }
  .side {
    text-anchor: start;
  }
  .box[role="button"] {
    cursor: pointer;
  }
  .box:focus-visible {
    outline: none;
  }
  .box:focus-visible > rect {
    stroke: var(--accent);
    stroke-width: 3;
  }
  .done rect,
  .reused rect {
    stroke: var(--ink);
    stroke-width: 1.6;
  }
  .running rect {
    stroke: var(--accent);
    stroke-width: 2.5;
    fill: var(--leaf);
  }
  .failed rect {
    stroke: var(--accent);
    stroke-width: 2;
    stroke-dasharray: 5 3;
  }
  .skipped {
    opacity: 0.5;
  }
</style>
