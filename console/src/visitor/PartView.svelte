<!-- Something that a recipe gives beside the reply. -->
<script lang="ts">
  import { fromService } from "../words";
  import type { Schemas } from "../pageData";
  import Markdown from "../markdown/Markdown.svelte";

  import { say } from "../words";
  import type { Recordings } from "./recordings.svelte";
  import TablePart from "./TablePart.svelte";
  import { altOf, fileOf, view, type Picture } from "./pictures.svelte";

  interface Props {
    /** The part. */
    part: Schemas["Part"];
    /** The turn that it belongs to. Default: it is only read. */
    turn?: string;
    /** The cell of a table that is lit. Default: none. */
    lit?: { row: number; column: number } | null;
    /** Whether the reply says a table's only number. Default: no. */
    said?: boolean;
    /** What was asked. Default: nobody says. */
    question?: string;
    /** Recordings whose texts are documents. Default: there are none. */
    recordings?: Recordings;
  }

  let { part, turn, lit = null, said = false, question = "", recordings }: Props = $props();

  const pictures = $derived(
    part.type === "list of picture"
      ? (part.value as (Picture & { said?: string })[])
      : part.type === "picture"
        ? [part.value as Picture & { said?: string }]
        : [],
  );
  const shown = $derived(pictures.map((p) => ({ ...p, alt: p.said ?? "" })));

  const text = $derived(
    typeof part.value === "string"
      ? part.value
      : Array.isArray(part.value) && part.value.every((v) => typeof v === "string")
        ? part.value.map((v) => `- ${v}`).join("\n")
        : "```json\n" + JSON.stringify(part.value, null, 2) + "\n```",
  );
</script>

{#if pictures.length}
  <ul class="mt-4 flex flex-wrap gap-3" aria-label={fromService({ form: part.title }, part.title)}>
    {#each shown as p, i (p.id)}
      <li>
        <button
          type="button"
          class="block overflow-hidden rounded border border-rule bg-leaf hover:border-accent"
          aria-label={say.pictures.large(altOf(p))}
          onclick={() => view(shown, i, false)}
          ><img
            class="h-56 max-w-full object-contain"
            style="aspect-ratio: {p.width} / {p.height}"
            loading="lazy"
            src={fileOf(p.id)}
            alt={altOf(p)} /></button>
      </li>
    {/each}
  </ul>
{:else if part.type === "result"}
  <TablePart result={part.value as Schemas["TableResult"]} {turn} {lit} {said} />
{:else if part.type === "quiz"}
  {#await import("./QuizPart.svelte") then { default: QuizPart }}
    <QuizPart quiz={part.value as Schemas["Quiz"]} {question} />
  {/await}
{:else if part.type === "outline"}
  {#await import("./OutlinePart.svelte") then { default: OutlinePart }}
    <OutlinePart title={part.title} outline={part.value as Schemas["Outline"]} {question} {recordings} />
  {/await}
{:else if part.type === "chart"}
  {#await import("./ChartPart.svelte") then { default: ChartPart }}
    <ChartPart chart={part.value as Schemas["Chart"]} />
  {/await}
{:else}
  <details class="mt-4 border-t border-rule pt-2">
    <summary class="min-h-7 cursor-pointer text-note font-semibold"
      >{fromService({ form: part.title }, part.title)}</summary>
    <div class="mt-2"><Markdown {text} /></div>
  </details>
{/if}
