<!-- Says what a question would find on a shelf, and draws it on the map. -->
<script lang="ts">
  import * as shelves from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import { complain } from "../state.svelte";
  import ShelfMap from "./ShelfMap.svelte";

  interface Props {
    /** The shelf's. */
    slug: string;
    /** The documents that are on it. */
    documents: Schemas["Document"][];
  }

  let { slug, documents }: Props = $props();

  let typed = $state("");
  let query = $state("");
  let found = $state<Schemas["ShelfFound"] | null>(null);
  let mapShown = $state(false);

  async function search(e: SubmitEvent) {
    e.preventDefault();
    query = typed.trim();
    if (!query) {
      found = null;
      return;
    }
    try {
      found = await shelves.search(slug, query, 8);
    } catch (e) {
      complain(e);
    }
  }

  const hits = $derived(found?.hits ?? null);
  const language = (code: string) => new Intl.DisplayNames("en", { type: "language" }).of(code) ?? code;
  const ordinal = new Intl.PluralRules("en", { type: "ordinal" });
  const endings = { one: "st", two: "nd", few: "rd", other: "th", zero: "th", many: "th" };
  const place = (n: number) => `${n}${endings[ordinal.select(n)]}`;

  /** Why a passage was found, in a sentence. */
  function whyFound(h: Schemas["ShelfHit"]): string {
    const ways = [
      h.lexical_rank ? `${place(h.lexical_rank)} by its words` : "",
      h.vector_rank ? `${place(h.vector_rank)} by its meaning as a whole` : "",
      h.sense_rank ? `${place(h.sense_rank)} by what some of its sentences mean` : "",
    ].filter(Boolean);
    const found = ways.length ? new Intl.ListFormat("en").format(ways) : "by what its document says";
    const words = h.matched.length ? ` It has these words of the question: ${h.matched.join(", ")}.` : "";
    return `Found ${found}; weighed at ${h.score.toFixed(2)}.${words}`;
  }
</script>

<section class="mt-8" aria-labelledby="find">
  <h2 id="find" class="font-serif text-lead font-semibold">What would a question find?</h2>
  <p class="mt-1 max-w-[42rem] text-note text-faded">
    Documents are cut into passages, a few sentences each. A question is looked for in three ways: by its
    words, by its meaning, and by what single sentences mean; the lists are put together.
  </p>
  <form class="mt-2 flex max-w-[42rem] flex-wrap gap-2" onsubmit={search}>
    <input
      class="min-w-0 flex-1 rounded border border-field bg-leaf px-3 py-2"
      bind:value={typed}
      placeholder="How long may I borrow the extractor?"
      aria-label="A question" />
    <button class="button-plain">Look</button>
    <button type="button" class="button-plain" aria-pressed={mapShown} onclick={() => (mapShown = !mapShown)}
      >{mapShown ? "Hide the map" : "Map"}</button>
  </form>
  <div class={["grid gap-x-8", mapShown && hits && "lg:grid-cols-[minmax(0,1fr)_minmax(0,34rem)]"]}>
    {#if hits}
      <div>
        <p class="mt-3 text-note">
          {hits.length
            ? `Likely to answer: ${Math.round(100 * found!.answers)} %; this shelf’s settings want ${Math.round(100 * found!.least)} %.`
            : "Nothing was found."}
          {#if found?.asked_in}
            The question is in {language(found.asked_in)}, and no document is: only names and numbers could be
            compared.
          {/if}
        </p>
        <ol class="mt-2">
          {#each hits as h, i (`${h.document}-${h.passage}`)}
            <li class="border-t border-rule py-3">
              <p class="text-note">
                <span class="mr-1.5 text-accent tabular-nums">{i + 1}</span><strong>{h.title}</strong
                >{#if h.path.at(-1) && h.path.at(-1) !== h.title}<span class="text-faded"
                    >, {h.path.at(-1)}</span
                  >{/if}{#if h.place}<span class="text-faded">, {h.place}</span>{/if}
              </p>
              <p class="mt-1 line-clamp-3 font-serif text-note leading-snug">{h.text}</p>
              <p class="mt-1 text-fine text-faded">
                {whyFound(h)}
              </p>
            </li>
          {/each}
        </ol>
      </div>
    {/if}
    {#if mapShown}<ShelfMap {slug} {documents} {query} hits={hits ?? []} />{/if}
  </div>
</section>
