<!-- Fetches documents from where they are published. -->
<script lang="ts">
  // What a shelf can fetch: an address, an encyclopedia's article, papers.
  import type { Wanted } from "../../api/shelves";

  interface Props {
    /** Called with what is wanted. */
    fetchIt: (wanted: Wanted) => Promise<void>;
  }

  let { fetchIt }: Props = $props();

  const kinds = {
    address: {
      name: "An address",
      place: "https://… a page, a file, a sitemap, a talk",
      label: "An address to fetch",
      what: "",
    },
    database: {
      name: "A table of a database",
      place: "DATABASE/TABLE, or DATABASE for all its tables",
      label: "Which table of which database; the owner names them with start -tables",
      what: "",
    },
    topic: {
      name: "An encyclopedia’s article",
      place: "https://… any page of the encyclopedia",
      label: "The encyclopedia’s address",
      what: "Topic",
    },
    search: {
      name: "Papers",
      place: "https://… any page of the repository",
      label: "The repository’s address",
      what: "Search for",
    },
  };
  let kind = $state<keyof typeof kinds>("address");
  let address = $state("");
  let words = $state("");
  let most = $state(5);
  let fetching = $state(false);

  async function submit(e: SubmitEvent) {
    e.preventDefault();
    if (!address.trim() || (kinds[kind].what && !words.trim())) return;
    fetching = true;
    await fetchIt(
      kind === "address"
        ? { address: address.trim() }
        : kind === "database"
          ? { address: "database:" + address.trim().replace(/^database:/, "") }
          : kind === "topic"
            ? { address: address.trim(), topic: words }
            : { address: address.trim(), search: words, most },
    );
    fetching = false;
    if (!kinds[kind].what) address = "";
    words = "";
  }
</script>

<form class="mt-3 max-w-[46rem]" onsubmit={submit}>
  <fieldset class="flex flex-wrap gap-x-5 gap-y-1">
    <legend class="sr-only">What to fetch</legend>
    {#each Object.entries(kinds) as [key, k] (key)}
      <label class="flex min-h-7 items-center gap-1.5"
        ><input class="accent-accent" type="radio" name="fetch" value={key} bind:group={kind} />
        {k.name}</label>
    {/each}
  </fieldset>
  <div class="mt-2 flex flex-wrap gap-2">
    <input
      class="min-w-[14rem] flex-[2] rounded border border-field bg-leaf px-3 py-1.5"
      bind:value={address}
      placeholder={kinds[kind].place}
      aria-label={kinds[kind].label} />
    {#if kinds[kind].what}
      <input
        class="min-w-[10rem] flex-1 rounded border border-field bg-leaf px-3 py-1.5"
        bind:value={words}
        placeholder={kinds[kind].what}
        aria-label={kinds[kind].what} />
    {/if}
    {#if kind === "search"}
      <label class="flex items-center gap-1.5"
        >at most <input
          class="w-16 rounded border border-field bg-leaf px-2 py-1.5"
          type="number"
          min="1"
          max="50"
          bind:value={most} /></label>
    {/if}
    <button class="button-plain" disabled={fetching}>{fetching ? "Fetching …" : "Fetch"}</button>
  </div>
</form>
