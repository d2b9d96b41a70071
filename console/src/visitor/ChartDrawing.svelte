<!-- One form of a chart, as SVG; beside it a table of what it shows, for screen readers.
     Series are told apart by patterns and by how their lines are dashed, not by colour
     alone. Colours are attributes: the drawing is saved as it stands. -->
<script lang="ts">
  import { scaleBand, scaleLinear, scalePoint } from "d3-scale";
  import { line } from "d3-shape";
  import type { Schemas } from "../pageData";
  import { cut, shown } from "./cells";

  interface Props {
    /** What is drawn. */
    form: Schemas["ChartForm"];
    /** What is said of it. */
    label: string;
  }

  let { form, label }: Props = $props();

  const id = $props.id();
  let width = $state(600);
  const labels = $derived(form.labels ?? []);
  const dashes = ["", "6 3", "2 3", "8 3 2 3", "1 4", "10 4", "4 2 1 2", "12 2"];
  const strokes = ["--accent", "--margin", "--ink", "--wrong", "--faded", "--field"];
  const stroke = (i: number) => `var(${strokes[i % strokes.length]})`;
  const fill = (i: number) => `url(#${id}-fill-${i % 6})`;
  const text = (v: number | null) => (v === null ? "" : shown(String(v), form.y));
  const named = (l: string) => shown(l, form.x);

  const values = $derived(form.series.flatMap((s) => s.values).filter((v): v is number => v !== null));
  const legend = $derived(form.series.length > 1 && form.kind !== "grid" ? 22 : 0);
  // Bars with long names lie; others stand.
  const lying = $derived(
    form.kind === "bars" &&
      (labels.length > 14 || labels.some((l) => l.length > Math.max(6, width / labels.length / 8))),
  );
  const left = $derived(
    lying
      ? Math.min(width * 0.4, 14 + 6.6 * Math.max(...labels.map((l) => Math.min(l.length, 28))))
      : form.kind === "grid"
        ? Math.min(width * 0.35, 14 + 6.6 * Math.max(...form.series.map((s) => Math.min(s.title.length, 24))))
        : 58,
  );
  const bar = $derived(Math.max(18, 12 * form.series.length));
  const height = $derived(
    legend +
      (lying ? labels.length * (bar + 6) + 34 : form.kind === "grid" ? form.series.length * 24 + 44 : 260),
  );
  const bottom = $derived(height - 34);
  const span = $derived.by(() => {
    const zero = form.kind === "bars" || form.kind === "histogram";
    const least = Math.min(...values, ...(zero ? [0] : []));
    const most = Math.max(...values, ...(zero ? [0] : []));
    return least === most ? [least - 1, most + 1] : [least, most];
  });
  const y = $derived(
    scaleLinear()
      .domain(span)
      .nice(5)
      .range([bottom, legend + 10]),
  );
  const along = $derived(
    scaleLinear()
      .domain(span)
      .nice(5)
      .range([left, width - 46]),
  );
  const band = $derived(
    scaleBand()
      .domain(labels)
      .range(lying ? [legend + 4, bottom] : [left, width - 8])
      .padding(form.kind === "histogram" ? 0.04 : 0.22),
  );
  const points = $derived(
    scalePoint()
      .domain(labels)
      .range([left + 6, width - 16]),
  );
  const spots = $derived(form.series[0]?.x ?? []);
  const x = $derived(
    scaleLinear()
      .domain(spots.length ? [Math.min(...spots), Math.max(...spots)] : [0, 1])
      .nice(5)
      .range([left + 6, width - 16]),
  );
  // As many labels as there is room for.
  const step = $derived(
    Math.max(1, Math.ceil((labels.length * (form.kind === "histogram" ? 62 : 58)) / (width - left))),
  );
  const path = (s: Schemas["ChartSeries"]) =>
    line<number | null>()
      .defined((v) => v !== null)
      .x((_, i) => points(labels[i]!)!)
      .y((v) => y(v!))(s.values) ?? "";
  const shade = (v: number | null) =>
    v === null ? 0 : 0.12 + (0.88 * (v - span[0]!)) / (span[1]! - span[0]! || 1);
</script>

<div class="mt-2" bind:clientWidth={width}>
  <svg
    {width}
    {height}
    viewBox="0 0 {width} {height}"
    role="img"
    aria-label={label}
    font-family="sans-serif"
    font-size="12"
    class="block max-w-full font-sans">
    <defs>
      <pattern id="{id}-fill-0" width="8" height="8" patternUnits="userSpaceOnUse"
        ><rect width="8" height="8" fill="var(--accent)" /></pattern>
      <pattern
        id="{id}-fill-1"
        width="7"
        height="7"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(45)"
        ><rect width="7" height="7" fill="var(--marker)" /><rect
          width="2"
          height="7"
          fill="var(--ink)" /></pattern>
      <pattern id="{id}-fill-2" width="7" height="7" patternUnits="userSpaceOnUse"
        ><rect width="7" height="7" fill="var(--margin)" /><circle
          cx="3.5"
          cy="3.5"
          r="1.5"
          fill="var(--paper)" /></pattern>
      <pattern id="{id}-fill-3" width="8" height="6" patternUnits="userSpaceOnUse"
        ><rect width="8" height="6" fill="var(--paper)" /><rect
          width="8"
          height="2.4"
          fill="var(--ink)" /></pattern>
      <pattern
        id="{id}-fill-4"
        width="8"
        height="8"
        patternUnits="userSpaceOnUse"
        patternTransform="rotate(-45)"
        ><rect width="8" height="8" fill="var(--faded)" /><rect
          width="2.6"
          height="8"
          fill="var(--leaf)" /></pattern>
      <pattern id="{id}-fill-5" width="8" height="8" patternUnits="userSpaceOnUse"
        ><rect width="8" height="8" fill="var(--leaf)" /><path
          d="M0 4h8M4 0v8"
          stroke="var(--accent)"
          stroke-width="1.4" /></pattern>
    </defs>

    {#if legend}
      {#each form.series as s, i (i)}
        <g transform="translate({left + (i * (width - left)) / form.series.length}, 2)">
          {#if form.kind === "lines"}
            <line
              x1="0"
              x2="20"
              y1="7"
              y2="7"
              stroke={stroke(i)}
              stroke-width="2"
              stroke-dasharray={dashes[i]} />
          {:else}<rect width="18" height="12" rx="2" fill={fill(i)} stroke="var(--field)" />{/if}
          <text x="25" y="10" fill="var(--ink)"
            >{cut(s.title, Math.max(4, Math.floor((width - left) / form.series.length / 7) - 4))}</text>
        </g>
      {/each}
    {/if}

    {#if form.kind === "grid"}
      {@const cells = scaleBand()
        .domain(labels)
        .range([left, width - 8])
        .padding(0.05)}
      {@const lines = scaleBand()
        .domain(form.series.map((_, i) => String(i)))
        .range([legend + 4, bottom])
        .padding(0.08)}
      {#each form.series as s, i (i)}
        <text
          x={left - 8}
          y={lines(String(i))! + lines.bandwidth() / 2 + 4}
          text-anchor="end"
          fill="var(--ink)">{cut(s.title, 24)}</text>
        {#each s.values as v, j (j)}
          <rect
            x={cells(labels[j]!)}
            y={lines(String(i))}
            width={cells.bandwidth()}
            height={lines.bandwidth()}
            fill="var(--accent)"
            fill-opacity={shade(v)}
            stroke="var(--rule)"><title>{s.title}, {labels[j]}: {text(v)}</title></rect>
          {#if cells.bandwidth() > 7 * text(v).length + 6}<text
              x={cells(labels[j]!)! + cells.bandwidth() / 2}
              y={lines(String(i))! + lines.bandwidth() / 2 + 4}
              text-anchor="middle"
              fill={shade(v) > 0.55 ? "var(--on-accent)" : "var(--ink)"}>{text(v)}</text
            >{/if}
        {/each}
      {/each}
    {:else if lying}
      {#each along.ticks(4) as t (t)}
        <line x1={along(t)} x2={along(t)} y1={legend + 2} y2={bottom} stroke="var(--rule)" />
        <text x={along(t)} y={bottom + 16} text-anchor="middle" fill="var(--faded)">{text(t)}</text>
      {/each}
    {:else}
      {#each y.ticks(5) as t (t)}
        <line x1={left} x2={width - 8} y1={y(t)} y2={y(t)} stroke="var(--rule)" />
        <text x={left - 8} y={y(t) + 4} text-anchor="end" fill="var(--faded)">{text(t)}</text>
      {/each}
    {/if}

    {#if form.kind === "bars" || form.kind === "histogram"}
      {#each labels as l, j (l)}
        {#each form.series as s, i (i)}
          {@const v = s.values[j] ?? null}
          {@const thick = band.bandwidth() / form.series.length}
          {#if v !== null && lying}
            <rect
              x={Math.min(along(0), along(v))}
              y={band(l)! + i * thick}
              width={Math.abs(along(v) - along(0))}
              height={Math.max(1, thick - 1)}
              fill={fill(i)}><title>{named(l)}: {text(v)}</title></rect>
            <text
              x={Math.max(along(0), along(v)) + 5}
              y={band(l)! + i * thick + thick / 2 + 4}
              font-size="11"
              fill="var(--ink)">{text(v)}</text>
          {:else if v !== null}
            <rect
              x={band(l)! + i * thick}
              y={Math.min(y(0), y(v))}
              width={Math.max(1, thick - 1)}
              height={Math.abs(y(v) - y(0))}
              fill={fill(i)}><title>{named(l)}: {text(v)}</title></rect>
          {/if}
        {/each}
        {#if lying}<text
            x={left - 8}
            y={band(l)! + band.bandwidth() / 2 + 4}
            text-anchor="end"
            fill="var(--ink)">{cut(named(l), 28)}</text
          >{/if}
      {/each}
    {:else if form.kind === "lines"}
      {#each form.series as s, i (i)}
        <path d={path(s)} fill="none" stroke={stroke(i)} stroke-width="2" stroke-dasharray={dashes[i]} />
        {#if labels.length <= 60}
          {#each s.values as v, j (j)}{#if v !== null}<circle
                cx={points(labels[j]!)}
                cy={y(v)}
                r="3"
                fill={stroke(i)}><title>{named(labels[j]!)}: {text(v)}</title></circle
              >{/if}{/each}
        {/if}
      {/each}
    {:else if form.kind === "points"}
      {#each spots as at, j (j)}
        <circle
          cx={x(at)}
          cy={y(form.series[0]!.values[j] ?? 0)}
          r="4"
          fill="var(--accent)"
          fill-opacity="0.6"
          ><title
            >{labels[j] ? `${labels[j]}: ` : ""}{shown(String(at), form.x)}, {text(
              form.series[0]!.values[j] ?? null,
            )}</title
          ></circle>
      {/each}
      {#each x.ticks(5) as t (t)}
        <text x={x(t)} y={bottom + 16} text-anchor="middle" fill="var(--faded)"
          >{shown(String(t), form.x)}</text>
      {/each}
    {/if}

    {#if !lying && form.kind !== "points"}
      {#each labels as l, j (l)}
        {#if j % step === 0}<text
            x={form.kind === "lines"
              ? points(l)
              : form.kind === "grid"
                ? left + ((j + 0.5) * (width - 8 - left)) / labels.length
                : band(l)! + band.bandwidth() / 2}
            y={bottom + 16}
            text-anchor="middle"
            fill="var(--faded)">{cut(named(l), 16)}</text
          >{/if}
      {/each}
    {/if}
    <text x={(left + width) / 2} y={height - 3} text-anchor="middle" font-size="11" fill="var(--faded)"
      >{cut(lying ? form.y.title : form.x.title, Math.floor(width / 7))}</text>
    {#if !lying && form.kind !== "grid"}<text
        transform="translate(11, {(legend + bottom) / 2}) rotate(-90)"
        text-anchor="middle"
        font-size="11"
        fill="var(--faded)">{cut(form.y.title, 34)}</text
      >{/if}
  </svg>
  <table class="sr-only">
    <caption>{label}</caption>
    <thead>
      <tr
        ><th scope="col">{form.x.title}</th>{#each form.series as s, i (i)}<th scope="col">{s.title}</th
          >{/each}</tr>
    </thead>
    <tbody>
      {#each form.kind === "points" ? spots
            .slice(0, 200)
            .map((v) => shown(String(v), form.x)) : labels.slice(0, 200) as l, j (j)}
        <tr
          ><th scope="row">{named(l)}</th>{#each form.series as s, i (i)}<td>{text(s.values[j] ?? null)}</td
            >{/each}</tr>
      {/each}
    </tbody>
  </table>
</div>
