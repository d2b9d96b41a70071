<!-- The documents of a shelf, and what can be done with each. -->
<script lang="ts">
  import * as shelves from "../../api/shelves";
  import type { Schemas } from "../../pageData";
  import Link from "../../ui/Link.svelte";
  import Table from "../../ui/Table.svelte";
  import { act } from "../state.svelte";
  import { ago } from "../time";
  import LeftOut from "./LeftOut.svelte";
  import { lost, shareOf } from "./leftOut";
  import PassageSheet from "./PassageSheet.svelte";
  import { ShelfTables } from "./shelfTables.svelte";

  interface Props {
    /** The shelf's. */
    slug: string;
    /** The documents that are on it. */
    documents: Schemas["Document"][];
    /** Reads the shelf anew. */
    read: () => Promise<void>;
  }

  let { slug, documents, read }: Props = $props();

  const tables = $derived(new ShelfTables(slug));
  $effect(() => {
    // Read anew when a document has been read.
    if (documents.some((d) => d.state === "ready")) void tables.refresh();
  });
  let tablesOf = $state(0);
  let tablesOpen = $state(false);

  let looked = $state<Schemas["Document"] | null>(null);
  let looking = $state(false);

  const wide = "hidden sm:table-cell";
  const columns = [
    { title: "Document" },
    { title: "Words", number: true, class: wide },
    { title: "Read", number: true, class: wide },
    { title: "Passages", number: true, class: wide },
    { title: "Tokens", number: true, class: wide },
    { title: "Language", class: wide },
    { title: "Added", class: wide },
    { title: "Actions", silent: true },
  ];

  async function remove(d: Schemas["Document"]) {
    await act(
      async () => (await shelves.removeDocument(slug, d.id), await read()),
      `${d.title || d.name} is off the shelf, and out of all answers`,
      async () => (await shelves.restoreDocument(slug, d.id), await read()),
    );
  }

  function look(d: Schemas["Document"]) {
    looked = d;
    looking = true;
  }

  const states: Record<Schemas["Document"]["state"], string> = {
    waiting: "waits to be read",
    reading: "is being read …",
    ready: "",
    failed: "could not be read",
  };
</script>

<section class="mt-8" aria-labelledby="documents">
  <div class="flex flex-wrap items-baseline gap-x-4">
    <h2 id="documents" class="font-serif text-lead font-semibold">Documents</h2>
    {#if documents.length}<Link
        class="min-h-7 text-fine"
        onclick={() =>
          act(
            async () => (await shelves.readAllAgain(slug), await read()),
            "All are read anew, and found meanwhile as they were read before",
          )}>Read all again</Link
      >{/if}
  </div>
  {#if documents.length}
    <Table class="mt-2" label="Documents" least="46rem" {columns}>
      {#each documents as d (d.id)}
        <tr class="border-t border-rule align-baseline">
          <td class="max-w-[26rem] py-2">
            {#if d.state === "ready"}<button
                class="text-left font-semibold hover:text-accent"
                onclick={() => look(d)}>{d.title}</button
              >{:else}<span class="font-semibold">{d.title || d.name}</span>{/if}
            <span class="block text-fine break-all text-faded"
              >{d.name}{states[d.state] && `, ${states[d.state]}`}</span>
            <span class="block text-fine text-faded sm:hidden"
              >{d.words.toLocaleString("en")} words, {ago(d.looked_at ?? d.added_at)}</span>
            <LeftOut document={d} />
            {#if d.look_problem}<span
                class="mt-1 block border-l-2 border-wrong pl-2 text-fine first-letter:uppercase"
                >It stays as it was: {d.look_problem}</span
              >{/if}
            {#if d.problem}<span
                class="mt-1 block border-l-2 border-wrong pl-2 text-fine first-letter:uppercase"
                >{d.problem}</span
              >{/if}
          </td>
          <td class={[wide, "text-right tabular-nums"]}>{d.words.toLocaleString("en")}</td>
          <td
            class={[wide, "text-right whitespace-nowrap tabular-nums", lost(d) && "font-semibold text-wrong"]}
            >{shareOf(d)}</td>
          <td class={[wide, "text-right tabular-nums"]}>{d.passages}</td>
          <td class={[wide, "text-right tabular-nums"]}>{d.tokens.toLocaleString("en")}</td>
          <td class={wide}>{d.language ?? ""}</td>
          <td class={[wide, "whitespace-nowrap text-faded"]}
            >{#if d.looked_at}as it was {ago(d.looked_at)}{:else}{ago(d.added_at)} by {d.added_by}{/if}</td>
          <td class="text-right sm:whitespace-nowrap">
            {#if tables.documents.some((t) => t.document === d.id)}<Link
                class="mr-3 min-h-7"
                aria-label="Tables of {d.name}"
                onclick={() => ((tablesOf = d.id), (tablesOpen = true))}>Tables</Link
              >{/if}
            <Link
              class="inline-block min-h-7"
              href={shelves.originalOf(slug, d.id)}
              download
              aria-label="File {d.name}">File</Link>
            <Link
              class="ml-3 min-h-7"
              aria-label="Read again: {d.name}"
              onclick={() =>
                act(async () => (await shelves.readAgain(slug, d.id), await read()), "It is read again")}
              >Read again</Link>
            <Link class="ml-3 min-h-7" aria-label="Remove {d.name}" onclick={() => remove(d)}>Remove</Link>
          </td>
        </tr>
      {/each}
    </Table>
  {:else}
    <p class="mt-2 text-faded">Nothing is on it yet.</p>
  {/if}
</section>

{#if tablesOpen}
  {#await import("../../visitor/TablesPanel.svelte") then { default: TablesPanel }}
    <TablesPanel {tables} document={tablesOf} bind:open={tablesOpen} />
  {/await}
{/if}
{#if looked}{#key looked}<PassageSheet {slug} document={looked} bind:open={looking} />{/key}{/if}
