<!-- A shelf: what is on it, what a question would find there, its settings. -->
<script lang="ts">
  import { formsOf } from "../../words/forms";
  import SlidersHorizontal from "@lucide/svelte/icons/sliders-horizontal";
  import Upload from "@lucide/svelte/icons/upload";
  import { onMount } from "svelte";
  import * as shelves from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import Link from "../../ui/Link.svelte";
  import { hrefOf, router } from "../router.svelte";
  import { complain, sentence } from "../state.svelte";
  import AddDocuments from "./AddDocuments.svelte";
  import DocumentTable from "./DocumentTable.svelte";
  import ShelfSettings from "./ShelfSettings.svelte";
  import TrySearch from "./TrySearch.svelte";

  interface Props {
    /** The shelf's. */
    slug: string;
  }

  const { counted } = formsOf("en");

  let { slug }: Props = $props();

  let shelf = $state<Schemas["Shelf"] | null>(null);
  let documents = $state<Schemas["Document"][]>([]);
  let problem = $state("");
  let settingsOpen = $state(false);
  let adding: AddDocuments | undefined = $state();

  const unread = $derived(documents.some((d) => d.state === "waiting" || d.state === "reading"));

  async function read() {
    try {
      [shelf, documents] = await Promise.all([shelves.readShelf(slug), shelves.listDocuments(slug)]);
    } catch (e) {
      if (!shelf) problem = sentence(e);
      else complain(e);
    }
  }
  onMount(() => {
    void read();
    const again = setInterval(() => unread && read(), 1000);
    return () => clearInterval(again);
  });
</script>

<main class="mx-auto max-w-[76rem] px-4 pt-8 pb-20 sm:px-8">
  <p class="text-fine">
    <Link href={hrefOf("shelves")} onclick={router.follow}>Shelves</Link>
  </p>
  {#if problem}
    <p class="mt-6 font-serif text-lead">{problem}</p>
  {:else if shelf}
    <div class="mt-1 flex flex-wrap items-end gap-x-4 gap-y-2">
      <h1
        class="basis-full font-serif text-head sm:flex-1 sm:basis-0 leading-tight font-semibold break-words">
        {shelf.title}
      </h1>
      <button class="button-plain flex items-center gap-1.5" onclick={() => (settingsOpen = true)}
        ><SlidersHorizontal size={15} aria-hidden="true" /> Settings</button>
      <button class="button-main" onclick={() => adding?.choose()}
        ><Upload size={16} aria-hidden="true" /> Add files</button>
    </div>
    <p class="mt-1 text-note text-faded">
      {counted(shelf.documents, { one: "document", other: "documents" })}, {counted(shelf.words, {
        one: "word",
        other: "words",
      })} in {counted(shelf.passages, { one: "passage", other: "passages" })}. Desks name it
      <code>{shelf.shelf}</code>.
    </p>
    <p class="mt-1 text-note text-faded">
      {#each shelf.read_at ?? [] as r, i (r.desk)}{i ? "; at " : "Visitors at "}<Link
          href={hrefOf(`desks/${r.desk}`)}
          onclick={router.follow}>{r.title}</Link>
        {r.passages_only
          ? "read the passages that replies rest on, and no whole documents"
          : "can read its documents whole"}{:else}No published desk answers from it, so no visitor reads it{/each}.
    </p>
    {#if shelf.anew}
      <p class="mt-3 border-l-2 border-accent pl-3 text-note" role="status">
        {counted(shelf.anew, { one: "document is", other: "documents are" })} being read anew. Until then answers
        rest on what was read of {shelf.anew === 1 ? "it" : "them"} before.
      </p>
    {/if}
    {#if shelf.missed}
      <p class="mt-3 border-l-2 border-wrong pl-3 text-note">
        {shelf.missed === 1 ? "Part of one document" : `Parts of ${shelf.missed} documents`} could not be read.
        The list below says how much.
      </p>
    {/if}
    <AddDocuments bind:this={adding} {slug} {documents} {read} />
    <TrySearch {slug} {documents} />
    <DocumentTable {slug} {documents} {read} />
  {:else}
    <p class="mt-6 text-faded">Fetching the shelf …</p>
  {/if}
</main>

{#if settingsOpen}<ShelfSettings {slug} bind:open={settingsOpen} changed={read} />{/if}
