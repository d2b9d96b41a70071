<!-- A chart of a table that was worked out. Its kind can be changed; it is saved as PNG. -->
<script lang="ts">
  import type { Schemas } from "../pageData";
  import { fromService, say } from "../words";
  import Link from "../ui/Link.svelte";
  import { pngOf } from "./cells";
  import ChartDrawing from "./ChartDrawing.svelte";

  interface Props {
    /** The chart. */
    chart: Schemas["Chart"];
  }

  let { chart }: Props = $props();

  let kind = $state("");
  const form = $derived(chart.forms.find((f) => f.kind === kind) ?? chart.forms[0]!);
  let figure: HTMLElement | undefined = $state();
  let failed = $state(false);

  async function save() {
    failed = false;
    try {
      const picture = await pngOf(figure!.querySelector("svg")!);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(picture);
      link.download = `${chart.title.replace(/[^\p{L}\p{N}]+/gu, "-")}.png`;
      link.click();
      setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
    } catch {
      failed = true;
    }
  }
</script>

<figure class="mt-4 border-t border-rule pt-3" bind:this={figure}>
  <figcaption class="flex flex-wrap items-center justify-between gap-x-4 gap-y-1 text-fine">
    <span class="font-medium first-letter:uppercase">{chart.title}</span>
    <span class="flex items-center gap-4 print:hidden">
      {#if chart.forms.length > 1}
        <label class="flex items-center gap-2 text-faded"
          >{say.charts.as}
          <select
            class="field !min-h-8 !w-auto !py-0 text-ink"
            bind:value={() => form.kind, (k) => (kind = k)}>
            {#each chart.forms as f (f.kind)}<option value={f.kind}>{say.charts[f.kind]}</option>{/each}
          </select></label>
      {/if}
      <Link class="min-h-7" onclick={save}>{say.charts.save}</Link>
    </span>
  </figcaption>
  <ChartDrawing {form} label={say.charts.said(say.charts[form.kind], chart.title)} />
  {#if form.note?.form}<p class="mt-1 text-mini text-faded">{fromService(form.note, form.note.form)}</p>{/if}
  {#if failed}<p class="mt-1 text-fine text-wrong" role="alert">{say.charts.notSaved}</p>{/if}
</figure>
