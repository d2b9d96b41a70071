<script lang="ts">
  import FileText from "@lucide/svelte/icons/file-text";
  import X from "@lucide/svelte/icons/x";
  import type { Attached } from "./attached.svelte";

  let { attached }: { attached: Attached } = $props();

  const state = (d: (typeof attached.documents)[number]) =>
    ({
      waiting: "waiting to be read",
      reading: "being read",
      ready: d.pages ? `${d.pages} page${d.pages === 1 ? "" : "s"}` : `${d.words} words`,
      failed: d.problem ?? "could not be read",
    })[d.state];
</script>

{#if attached.documents.length || attached.sent !== null || attached.problem}
  <div class="mb-2 text-fine">
    {#if attached.documents.length}
      <ul class="flex flex-wrap gap-2" aria-label="Documents of this conversation">
        {#each attached.documents as d (d.id)}
          <li
            class={[
              "flex max-w-full items-center gap-2 rounded border bg-leaf py-0.5 pr-0.5 pl-2.5",
              d.state === "failed" ? "border-accent" : "border-rule",
            ]}>
            <FileText size={14} class="shrink-0 text-faded" aria-hidden="true" />
            <span class="min-w-0">
              <span class="block max-w-56 truncate" title={d.name}>{d.name}</span>
              <span class={["block max-w-64 text-mini", d.state === "failed" ? "text-accent" : "text-faded"]}
                >{state(d)}</span>
            </span>
            <button
              class="icon !size-8 shrink-0"
              aria-label="Take {d.name} back"
              title="Take it back"
              onclick={() => attached.remove(d.id)}><X size={14} aria-hidden="true" /></button>
          </li>
        {/each}
      </ul>
      <p class="mt-1 text-faded">
        Only you can open these documents. They go when you remove the conversation.
      </p>
    {/if}
    {#if attached.sent !== null}
      <p class="mt-1 flex items-center gap-3 text-faded">
        <progress class="h-1.5 w-40 accent-accent" value={attached.sent} aria-label="Sending"></progress> Sending
        …
      </p>
    {/if}
    {#if attached.problem}<p class="mt-1 text-accent" role="alert">{attached.problem}</p>{/if}
  </div>
{/if}
<p class="sr-only" role="status">
  {attached.sent !== null
    ? "Sending the documents."
    : attached.reading
      ? "The documents are being read."
      : attached.documents.length
        ? "The documents are read."
        : ""}
</p>
