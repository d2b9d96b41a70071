<!-- Where the sentences of a reply stand in the documents, and its numbers in tables. -->
<script lang="ts">
  import { say } from "../words";
  import type { Recordings } from "./recordings.svelte";
  import RowsBehind from "./RowsBehind.svelte";
  import type { RowsNote } from "./figures";
  import { dotted, placeOf, timeOf, sectionOf, type MarginNote, type Shown, type Sources } from "./sources";
  import type { Turn } from "./turn.svelte";
  import SourceView from "./SourceView.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The turn that it shows. */
    turn: Turn;
    /** What of documents the reply rests on. Default: it was not to. */
    sources: Sources | null;
    /** The places, in the order of the sentences. */
    notes: MarginNote[];
    /** Its numbers that stand in a table. Default: there are none. */
    rows?: RowsNote[];
    /** What the tables are called. Default: nobody says. */
    from?: string[];
    /** Whether the rows behind numbers can be asked for. Default: they cannot. */
    kept?: boolean;
    /** The reply; notes stand beside their sentences in it. Default: they follow each other. */
    article?: HTMLElement;
    /** Recordings whose texts are documents: a place in one is played. Default: there are none. */
    recordings?: Recordings;
  }

  let { turn, sources, notes, rows = [], from = [], kept = false, article, recordings }: Props = $props();

  /** A note: of a passage, or of a number. */
  interface Entry {
    at: number;
    passage?: MarginNote;
    rows?: RowsNote;
  }
  const entries = $derived(
    [
      ...notes.map((n): Entry => ({ at: sources!.sentences[n.sentences[0]!]!.from, passage: n })),
      ...rows.map((n): Entry => ({ at: n.at, rows: n })),
    ].sort((a, b) => a.at - b.at),
  );
  let cell = $state<RowsNote | null>(null);
  let cellOpen = $state(false);

  let list: HTMLElement | undefined = $state();
  let opened = $state<Shown | null>(null);
  let open = $state(false);
  const near = $derived(!sources || sources.supported ? [] : sources.passages);

  function show(n: Shown) {
    const recording = recordings?.of(n.passage.document);
    if (recording) {
      recording.playFrom(timeOf(n));
      document.querySelector(`[data-recording="${recording.id}"]`)?.scrollIntoView({ block: "start" });
      return;
    }
    opened = n;
    open = true;
  }

  function showRows(n: RowsNote) {
    cell = n;
    cellOpen = true;
  }

  /** What of the reply a note stands beside. */
  const claims = (e: Entry) =>
    (e.passage
      ? e.passage.sentences.map((i) => `[data-claim="${i}"]`)
      : [`button.figure[data-row="${e.rows!.row}"][data-column="${e.rows!.column}"]`]
    ).flatMap((selector) => [...(article?.querySelectorAll(selector) ?? [])]);
  const light = (e: Entry, on: boolean) => claims(e).forEach((c) => c.classList.toggle("lit", on));

  // A sentence lights its notes up.
  $effect(() => {
    if (!article) return;
    const over = (on: boolean) => (e: Event) => {
      const target = e.target as HTMLElement;
      const within = [target.closest?.("[data-claim]"), target.closest?.("button.figure")];
      entries.forEach((n, i) => {
        if (claims(n).some((c) => within.includes(c))) list?.children[i]?.classList.toggle("lit", on);
      });
    };
    const enter = over(true);
    const leave = over(false);
    article.addEventListener("mouseover", enter);
    article.addEventListener("mouseout", leave);
    return () => {
      article.removeEventListener("mouseover", enter);
      article.removeEventListener("mouseout", leave);
    };
  });

  // On a wide page each note stands beside its sentence, or below the note before.
  $effect(() => {
    if (!article || !list) return;
    const place = () => {
      const items = [...list!.children] as HTMLElement[];
      const wide = getComputedStyle(list!).getPropertyValue("--aligned").trim() === "1";
      for (const item of items) item.style.marginTop = "";
      let filled = 0;
      const top = list!.getBoundingClientRect().top;
      items.forEach((item, i) => {
        const claim = entries[i] && claims(entries[i])[0];
        if (!wide || !claim) return;
        const wanted = claim.getBoundingClientRect().top - top;
        item.style.marginTop = `${Math.max(0, wanted - filled)}px`;
        filled = Math.max(wanted, filled) + item.offsetHeight + 12;
      });
    };
    place();
    const seen = new ResizeObserver(place);
    seen.observe(article);
    return () => seen.disconnect();
  });
</script>

{#snippet note(e: Entry)}
  <button
    class="block w-full text-left"
    disabled={!e.passage && !kept}
    onclick={() => (e.passage ? show(e.passage) : showRows(e.rows!))}
    onmouseenter={() => light(e, true)}
    onmouseleave={() => light(e, false)}
    onfocus={() => light(e, true)}
    onblur={() => light(e, false)}>
    {#if e.passage}
      {@const n = e.passage}
      {#if n.otherwise}<span class="block font-semibold text-wrong">{say.margin.saysOtherwise}</span>{/if}
      <span class="font-semibold text-ink"
        ><span class="text-accent tabular-nums">{n.passage.number}</span> {n.passage.title}</span
      >{#if n.place}<span class="text-faded">, {n.place}</span>{/if}
      <span class="mt-0.5 line-clamp-4 font-serif text-fine leading-snug text-faded italic"
        >“{say.margin.together(n.quotes)}”</span>
    {:else if e.rows}
      {@const n = e.rows}
      <span class="font-semibold text-ink"
        ><span class="text-accent tabular-nums">{n.said}</span> {from.join(", ")}</span>
      <span class="mt-0.5 line-clamp-3 leading-snug text-faded"
        >{n.of}{#if kept}: <span class="text-accent">{say.tables.itsRows}</span>{/if}</span>
    {/if}
  </button>
{/snippet}

{#if sources && dotted(turn.text, sources)}
  <p class="mt-3 mb-3 text-note text-faded wide:mt-0">
    <span class="claim unsupported" aria-hidden="true">{say.margin.dottedSign}</span>
    {say.margin.dotted}
  </p>
{/if}
{#if sources?.asked_in}
  <p class="mt-3 mb-3 text-note wide:mt-0">{say.margin.otherLanguage(sources.asked_in, sources.in ?? [])}</p>
{/if}
{#if entries.length}
  <div class="hidden wide:block wide:print:block">
    <ul bind:this={list} class="notes" aria-label={say.margin.all}>
      {#each entries as e (e.passage ?? e.rows)}<li class="mb-3 -ml-2 border-l-2 border-transparent pl-1.5">
          {@render note(e)}
        </li>{/each}
    </ul>
  </div>
  <details
    class="mt-3 rounded border border-rule px-3 py-1.5 wide:hidden"
    open={entries.some((e) => e.passage?.otherwise)}>
    <summary class="min-h-8 cursor-pointer py-1 text-note font-semibold text-ink"
      >{say.margin.allCounted(entries.length)}</summary>
    <ul class="my-1.5 space-y-3">
      {#each entries as e (e.passage ?? e.rows)}<li>{@render note(e)}</li>{/each}
    </ul>
  </details>
{:else if sources && !sources.supported}
  <div class="mt-3 mb-3 wide:mt-0">
    {#if !sources.asked_in}
      <p class="font-semibold text-ink">
        {turn.pictures.length ? say.margin.notSaidButSeen : say.margin.notSaid}
      </p>
    {/if}
    {#if near.length}
      <p class="mt-1">{say.margin.near}</p>
      <ul class="mt-2 space-y-2">
        {#each near as p (p.number)}
          <li>
            <Link
              class="text-left"
              onclick={() =>
                show({
                  passage: p,
                  place: placeOf(p.place, sectionOf(p), p.title),
                  quote: "",
                  marks: p.spans ?? [],
                })}>{p.title}</Link
            >{#if sectionOf(p)}<span>, {sectionOf(p)}</span>{/if}
          </li>
        {/each}
      </ul>
    {/if}
  </div>
{/if}

{#if opened}<SourceView bind:open note={opened} question={turn.question} />{/if}
{#if cell}<RowsBehind bind:open={cellOpen} turn={turn.id} {cell} />{/if}
