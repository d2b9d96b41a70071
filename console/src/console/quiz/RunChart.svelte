<!-- How many questions each candidate knew, with where the truth lies; the same numbers stand
     in the table below it. -->
<script lang="ts">
  import type { Schemas } from "../../pageData";

  interface Props {
    /** The run. */
    run: Schemas["Run"];
  }

  let { run }: Props = $props();

  const percent = (x: number) => 100 * x;
</script>

<figure class="mt-6 max-w-[56rem]">
  <figcaption class="text-note font-semibold">
    Right answers, of a hundred
    <span class="font-normal text-faded">– the line shows where the truth lies at 95 %</span>
  </figcaption>
  <ul class="mt-3 space-y-2.5" aria-hidden="true">
    {#each run.tallies as t, i (i)}
      <li
        class="grid grid-cols-[minmax(0,1fr)] items-center gap-x-4 gap-y-1 sm:grid-cols-[16rem_minmax(0,1fr)]">
        <span class="min-w-0 text-note break-words"
          ><span class="mr-2 font-serif text-accent">{String.fromCharCode(65 + i)}</span>{run.run.candidates[
            i
          ]!.title}</span>
        <span class="relative block h-6 border-x border-rule bg-leaf">
          <span class="absolute inset-y-0 left-1/2 border-l border-dashed border-rule"></span>
          {#if t.answered}
            <span class="absolute inset-y-1 left-0 bg-accent" style="width: {percent(t.known.share)}%"></span>
            <span
              class="absolute top-1/2 h-0.5 -translate-y-1/2 bg-ink outline outline-1 outline-paper"
              style="left: {percent(t.known.from)}%; width: {percent(t.known.to - t.known.from)}%"></span>
            {#each [t.known.from, t.known.to] as end, k (k)}
              <span
                class="absolute inset-y-1.5 w-0.5 -translate-x-1/2 bg-ink outline outline-1 outline-paper"
                style="left: {percent(end)}%"></span>
            {/each}
          {/if}
        </span>
      </li>
    {/each}
    <li class="grid gap-x-4 text-mini text-faded sm:grid-cols-[16rem_minmax(0,1fr)]">
      <span class="hidden sm:block"></span>
      <span class="flex justify-between tabular-nums"><span>0</span><span>50</span><span>100</span></span>
    </li>
  </ul>
</figure>
