<!-- Where the sentences of a reply stand in the documents. -->
<script lang="ts">
  import { say } from "../words";
  import type { Recordings } from "./recordings.svelte";
  import { placeOf, timeOf, sectionOf, type MarginNote, type Sources } from "./sources";
  import type { Turn } from "./turn.svelte";
  import SourceView from "./SourceView.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The turn that it shows. */
    turn: Turn;
    /** What the reply rests on. */
    sources: Sources;
    /** The places, in the order of the sentences. */
    notes: MarginNote[];
    /** The reply; notes stand beside their sentences in it. Default: they follow each other. */
    article?: HTMLElement;
    /** Recordings whose texts are documents: a place in one is played. Default: there are none. */
    recordings?: Recordings;
  }

  let { turn, sources, notes, article, recordings }: Props = $props();

  let list: HTMLElement | undefined = $state();
  let opened = $state<MarginNote | null>(null);
  let open = $state(false);
  const near = $derived(sources.supported ? [] : sources.passages);

  function show(n: MarginNote) {
    const recording = recordings?.of(n.passage.document);
    if (recording) {
      recording.playFrom(timeOf(n));
      document.querySelector(`[data-recording="${recording.id}"]`)?.scrollIntoView({ block: "start" });
      return;
    }
    opened = n;
    open = true;
  }

  const claims = (n: MarginNote) =>
    n.sentences.flatMap((i) => [...(article?.querySelectorAll(`[data-claim="${i}"]`) ?? [])]);
  const light = (n: MarginNote, on: boolean) => claims(n).forEach((c) => c.classList.toggle("lit", on));

  // A sentence lights its notes up.
  $effect(() => {
    if (!article) return;
    const over = (on: boolean) => (e: Event) => {
      const claim = (e.target as HTMLElement).closest?.("[data-claim]");
      if (!claim) return;
      notes.forEach((n, i) => {
        if (n.sentences.includes(+claim.getAttribute("data-claim")!))
          list?.children[i]?.classList.toggle("lit", on);
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
        const claim = notes[i] && claims(notes[i])[0];
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

{#snippet note(n: MarginNote)}
  <button
    class="block w-full text-left"
    onclick={() => show(n)}
    onmouseenter={() => light(n, true)}
    onmouseleave={() => light(n, false)}
    onfocus={() => light(n, true)}
    onblur={() => light(n, false)}>
    <span class="font-semibold text-ink"
      ><span class="text-accent tabular-nums">{n.passage.number}</span> {n.passage.title}</span
    >{#if n.place}<span class="text-faded">, {n.place}</span>{/if}
    <span class="mt-0.5 line-clamp-4 font-serif text-fine leading-snug text-faded italic">“{n.quote}”</span>
  </button>
{/snippet}

{#if notes.length}
  <div class="hidden wide:block wide:print:block">
    <ul bind:this={list} class="notes" aria-label={say.margin.all}>
      {#each notes as n (n)}<li class="mb-3 -ml-2 border-l-2 border-transparent pl-1.5">
          {@render note(n)}
        </li>{/each}
    </ul>
  </div>
  <details class="mt-3 rounded border border-rule px-3 py-1.5 wide:hidden">
    <summary class="min-h-8 cursor-pointer py-1 text-note font-semibold text-ink"
      >{say.margin.allCounted(notes.length)}</summary>
    <ul class="my-1.5 space-y-3">
      {#each notes as n (n)}<li>{@render note(n)}</li>{/each}
    </ul>
  </details>
{:else if !sources.supported}
  <div class="mt-3 mb-3 wide:mt-0">
    <p class="font-semibold text-ink">
      {turn.pictures.length ? say.margin.notSaidButSeen : say.margin.notSaid}
    </p>
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
                  sentences: [],
                })}>{p.title}</Link
            >{#if sectionOf(p)}<span>, {sectionOf(p)}</span>{/if}
          </li>
        {/each}
      </ul>
    {/if}
  </div>
{/if}

{#if opened}<SourceView bind:open note={opened} question={turn.question} />{/if}
