<!-- The passages of a shelf, those that say similar things near to each other. -->
<script lang="ts">
  import * as shelves from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import { complain } from "../state.svelte";

  interface Props {
    /** The address of the shelf. */
    slug: string;
    /** The documents of the shelf. */
    documents: Schemas["Document"][];
    /** The question that is marked on it; "": none. */
    query: string;
    /** The passages that it found. */
    hits: Schemas["ShelfHit"][];
  }

  let { slug, documents, query, hits }: Props = $props();

  let points = $state<Schemas["MapPoint"][]>([]);
  let asked = $state<Schemas["MapPoint"]>();
  let over = $state<Schemas["MapPoint"]>();
  $effect(() => {
    shelves
      .readMap(slug, query)
      .then((m) => ((points = m.points), (asked = m.asked)))
      .catch(complain);
  });

  const size = 520;
  const place = (v: number) => size / 2 + v * (size / 2 - 14);
  /** Colours that differ most for documents that follow each other. */
  const colour = (id: number) =>
    `oklch(0.62 0.12 ${(documents.findIndex((d) => d.id === id) * 137.5) % 360})`;
  const hit = (p: Schemas["MapPoint"]) =>
    hits.some((h) => h.document === p.document && h.passage === p.passage);
  const titleOf = (id: number) => documents.find((d) => d.id === id)?.title ?? "";
</script>

<figure class="mt-3 max-w-[34rem]">
  <svg
    viewBox="0 0 {size} {size}"
    class="w-full rounded border border-rule bg-leaf"
    role="img"
    aria-label="Map of the shelf’s passages: {points.length} of {documents.length} documents">
    {#each points as p (`${p.document}-${p.passage}`)}
      <circle
        cx={place(p.x)}
        cy={place(-p.y)}
        r={hit(p) ? 8 : 4.5}
        fill={colour(p.document)}
        stroke={hit(p) ? "var(--ink)" : "none"}
        stroke-width="2"
        opacity={query && !hit(p) ? 0.45 : 0.9}
        role="presentation"
        onmouseenter={() => (over = p)}
        onmouseleave={() => (over = undefined)}>
        <title>{titleOf(p.document)}, passage {p.passage + 1}</title>
      </circle>
    {/each}
    {#if asked && query}
      <path
        d="M{place(asked.x) - 9} {place(-asked.y)} h18 m-9 -9 v18"
        stroke="var(--accent)"
        stroke-width="3" />
    {/if}
  </svg>
  <figcaption class="mt-1.5 min-h-5 text-fine text-faded">
    {#if over}{titleOf(over.document)}, passage {over.passage + 1}{:else}Each dot is a passage, each colour a
      document; those that say similar things lie near.{#if query}
        The cross is your question, ringed dots are what it finds.{/if}{/if}
  </figcaption>
</figure>
