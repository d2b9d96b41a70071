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
  /** The signs of documents: a colour and a shape, so that they are told apart
   *  without colours too. */
  const colours = ["var(--accent)", "var(--margin)", "var(--ink)", "var(--faded)"];
  const shapes = [
    "M-1 0a1 1 0 1 0 2 0a1 1 0 1 0-2 0z",
    "M-.9-.9H.9V.9H-.9z",
    "M0-1.15L1.1.85H-1.1z",
    "M0-1.25L1.25 0L0 1.25L-1.25 0z",
    "M-.4-1.2H.4V-.4H1.2V.4H.4V1.2H-.4V.4H-1.2V-.4H-.4z",
  ];
  const at = (id: number) =>
    Math.max(
      0,
      documents.findIndex((d) => d.id === id),
    );
  const colour = (id: number) => colours[at(id) % colours.length]!;
  const shape = (id: number) => shapes[at(id) % shapes.length]!;
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
      <path
        data-passage
        d={shape(p.document)}
        transform="translate({place(p.x)} {place(-p.y)}) scale({hit(p) ? 9 : 4.8})"
        fill={hit(p) ? "var(--marker)" : colour(p.document)}
        stroke={hit(p) ? "var(--ink)" : "none"}
        stroke-width="2"
        vector-effect="non-scaling-stroke"
        opacity={query && !hit(p) ? 0.55 : 0.95}
        role="presentation"
        onmouseenter={() => (over = p)}
        onmouseleave={() => (over = undefined)}>
        <title>{titleOf(p.document)}, passage {p.passage + 1}</title>
      </path>
    {/each}
    {#if asked && query}
      <path
        d="M{place(asked.x) - 9} {place(-asked.y)} h18 m-9 -9 v18"
        stroke="var(--accent)"
        stroke-width="3" />
    {/if}
  </svg>
  <figcaption class="mt-1.5 min-h-5 text-fine text-faded">
    {#if over}{titleOf(over.document)}, passage {over.passage + 1}{:else}Each sign is a passage; those of one
      document have the same shape and colour, and those that say similar things lie near.{#if query}
        The cross is your question; what it finds is large and marked.{/if}{/if}
  </figcaption>
</figure>
