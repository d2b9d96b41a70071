<!-- The documents that a visitor has attached. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import FileText from "@lucide/svelte/icons/file-text";
  import ScanEye from "@lucide/svelte/icons/scan-eye";
  import Table2 from "@lucide/svelte/icons/table-2";
  import X from "@lucide/svelte/icons/x";
  import Progress from "../ui/Progress.svelte";
  import type { Attached } from "./attached.svelte";
  import type { Tables } from "./tables.svelte";

  interface Props {
    /** The documents. */
    attached: Attached;
    /** Has a page of one looked at as a picture. Default: that cannot be. */
    look?: (document: number, page: number) => void;
    /** What was found out of those that are tables. Default: they are not asked as such. */
    tables?: Tables;
    /** Shows what a document's tables are. Default: they cannot be looked at. */
    showTables?: (document: number) => void;
  }

  let { attached, look, tables, showTables }: Props = $props();

  // Of which document a page is asked for, and which page.
  let asked = $state(0);
  let page = $state(1);
  const pages = $derived(attached.documents.find((d) => d.id === asked)?.pages ?? 0);

  function lookAt(e: SubmitEvent) {
    e.preventDefault();
    look?.(asked, page);
    asked = 0;
  }

  const partly = (d: (typeof attached.documents)[number]) =>
    d.state === "ready" && d.share !== undefined && d.share < 0.98;

  const rowsOf = (document: number) => tables?.of(document)?.tables.reduce((n, t) => n + t.rows, 0) ?? 0;

  const stateOf = (d: (typeof attached.documents)[number]) =>
    ({
      waiting: say.attachments.waiting,
      reading: say.attachments.reading,
      ready: rowsOf(d.id)
        ? say.tables.table(rowsOf(d.id))
        : partly(d)
          ? say.attachments.partly(d.share ?? 0)
          : d.pages
            ? say.attachments.pages(d.pages)
            : say.attachments.words(d.words),
      failed: fromService(d.phrase, d.problem) || say.attachments.failed,
    })[d.state];
</script>

{#if attached.documents.length || attached.sent !== null || attached.problem}
  <div class="mb-2 text-fine">
    {#if attached.documents.length}
      <ul class="flex flex-wrap gap-2" aria-label={say.attachments.all}>
        {#each attached.documents as d (d.id)}
          <li
            class={[
              "flex max-w-full items-center gap-2 rounded border bg-leaf py-0.5 pr-0.5 pl-2.5",
              d.state === "failed" || partly(d) ? "border-wrong" : "border-rule",
            ]}>
            <FileText size={14} class="shrink-0 text-faded" aria-hidden="true" />
            <span class="min-w-0">
              <span class="block max-w-56 truncate" title={d.name}>{d.name}</span>
              <span
                class={[
                  "block max-w-64 text-mini first-letter:uppercase",
                  d.state === "failed" || partly(d) ? "text-wrong" : "text-faded",
                ]}>{stateOf(d)}</span>
            </span>
            {#if tables?.of(d.id)}
              <button
                class="icon !size-8 shrink-0"
                aria-label={say.tables.lookNamed(d.name)}
                title={say.tables.look}
                onclick={() => showTables?.(d.id)}><Table2 size={14} aria-hidden="true" /></button>
            {/if}
            {#if look && d.state === "ready" && d.pages}
              <button
                class="icon !size-8 shrink-0"
                aria-label={say.pictures.pageOf(d.name)}
                title={say.pictures.page}
                aria-expanded={asked === d.id}
                onclick={() => ((asked = asked === d.id ? 0 : d.id), (page = 1))}
                ><ScanEye size={14} aria-hidden="true" /></button>
            {/if}
            <button
              class="icon !size-8 shrink-0"
              aria-label={say.attachments.takeBackNamed(d.name)}
              title={say.attachments.takeBack}
              onclick={() => attached.remove(d.id)}><X size={14} aria-hidden="true" /></button>
          </li>
        {/each}
      </ul>
      {#if pages}
        <form class="mt-2 flex items-end gap-2" onsubmit={lookAt}>
          <label class="text-faded">
            {say.pictures.whichPage(pages)}
            <input
              class="field mt-0.5 !min-h-9 w-24 text-ink"
              type="number"
              min="1"
              max={pages}
              bind:value={page} />
          </label>
          <button class="button-plain" type="submit">{say.pictures.lookAtPage}</button>
        </form>
      {/if}
      <p class="mt-1 text-faded">
        {say.attachments.asReadable}
      </p>
    {/if}
    {#if attached.sent !== null}
      <p class="mt-1 flex items-center gap-3 text-faded">
        <Progress class="w-40" value={attached.sent} label={say.attachments.sending} />
        {say.attachments.sent(attached.sent)}
      </p>
    {/if}
    {#if attached.problem}<p class="mt-1 text-wrong" role="alert">{attached.problem}</p>{/if}
  </div>
{/if}
<p class="sr-only" role="status">
  {attached.sent !== null
    ? say.attachments.spokenSending
    : attached.reading
      ? say.attachments.spokenReading
      : attached.documents.length
        ? say.attachments.spokenRead
        : ""}
</p>
