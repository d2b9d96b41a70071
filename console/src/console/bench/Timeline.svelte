<!-- The steps of a reply by their time. -->
<script lang="ts">
  import type { Schemas } from "../../pageData";
  import { inTree, span } from "./inside.svelte";

  interface Props {
    /** The trace that is looked at. */
    trace: Schemas["Inside"];
    /** Which step is looked at, from 0; -1: none. */
    chosen: number;
    /** Called with the step that is pressed. */
    choose: (at: number) => void;
  }

  let { trace, chosen, choose }: Props = $props();

  const rows = $derived(inTree(trace.spans));
  const whole = $derived(Math.max(trace.seconds, ...trace.spans.map((s) => s.start + s.seconds), 1e-6));
  const left = (at: number) => `${(100 * Math.min(at, whole)) / whole}%`;
  const marks: Record<string, string> = {
    running: "…",
    done: "",
    failed: "failed",
    skipped: "skipped",
    reused: "kept",
    stopped: "stopped",
  };
  /** The step of the axis: 1, 2 or 5 of some power of ten, three to six of them. */
  const tick = $derived.by(() => {
    const rough = whole / 4;
    const power = 10 ** Math.floor(Math.log10(rough));
    return [1, 2, 5, 10].map((n) => n * power).find((n) => n >= rough)!;
  });
  const ticks = $derived(
    Array.from({ length: Math.floor(whole / tick) + 1 }, (_, i) => i * tick).filter(
      (at) => at === 0 || at >= 0.001,
    ),
  );
  const part = (s: Schemas["Span"]) => took(s) / whole;
  /** Whether a step is a good part of the time that the reply took. */
  const matters = (s: Schemas["Span"]) => s.do !== "group" && part(s) >= 0.1;
  const share = (s: Schemas["Span"]) => (part(s) < 0.005 ? "–" : `${Math.round(100 * part(s))} %`);
  const nameOf = (step: string) => step.slice(step.lastIndexOf("/") + 1);
  const took = (s: Schemas["Span"]) => (s.state === "running" ? Math.max(0, whole - s.start) : s.seconds);
</script>

<ol class="text-fine" aria-label="Steps">
  {#each rows as row (row.at)}
    <li>
      <button
        class={[
          "grid w-full grid-cols-[minmax(7rem,10rem)_minmax(0,1fr)_4.2rem_2.6rem] items-center gap-2.5",
          "rounded px-2 py-1 text-left hover:bg-leaf",
          chosen === row.at && "bg-leaf",
        ]}
        aria-pressed={chosen === row.at}
        onclick={() => choose(row.at)}>
        <span class="truncate" style:padding-left="{row.depth}rem">
          <span class="font-semibold">{nameOf(row.step)}{row.number ? ` ${row.number}` : ""}</span>
          <span class="text-faded">{row.do}</span>
        </span>
        <span class="relative h-4 rounded-sm bg-leaf" aria-hidden="true">
          <span
            class={[
              "absolute inset-y-0.5 min-w-[3px] rounded-sm",
              row.state === "failed"
                ? "bg-wrong"
                : row.state === "skipped"
                  ? "bg-rule"
                  : row.do === "group"
                    ? "border border-faded"
                    : "bg-faded/45",
            ]}
            style:left={left(row.start)}
            style:width={left(took(row))}></span>
          {#each row.calls ?? [] as call, i (i)}
            {#if call.first && row.calls!.length === 1}
              <span
                class="absolute inset-y-0.5 rounded-sm bg-faded"
                style:left={left(row.start + row.seconds - call.seconds + call.first)}
                style:width={left(call.seconds - call.first)}></span>
            {/if}
          {/each}
        </span>
        <span
          class={[
            "text-right tabular-nums",
            row.state === "failed" ? "text-wrong" : matters(row) ? "font-semibold" : "text-faded",
          ]}>{marks[row.state] && row.state !== "done" ? marks[row.state] : span(row.seconds)}</span>
        <span class="text-right text-faded tabular-nums">{row.do === "group" ? "" : share(row)}</span>
      </button>
    </li>
  {/each}
</ol>
<div
  class="grid grid-cols-[minmax(7rem,10rem)_minmax(0,1fr)_4.2rem_2.6rem] gap-2.5 px-2 text-mini text-faded"
  aria-hidden="true">
  <span></span>
  <span class="relative h-5 border-t border-field">
    {#each ticks as at (at)}
      <span
        class={[
          "absolute top-0 border-l border-field pt-1 tabular-nums",
          at > 0.9 * whole ? "-translate-x-full border-r border-l-0 pr-1" : "pl-1",
        ]}
        style:left={left(at)}>{at === 0 ? "0" : span(at)}</span>
    {/each}
  </span>
</div>
<p class="mt-1 flex flex-wrap justify-between gap-x-4 px-2 text-mini text-faded">
  <span>Light: waiting for the first word. Dark: writing. Behind each step its part of the whole time.</span
  ><span class="tabular-nums">{span(whole)} in all</span>
</p>
