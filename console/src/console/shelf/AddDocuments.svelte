<!-- Puts documents on a shelf: dropped, chosen, or fetched from an address; says
     what came of it, and how far reading has come. -->
<script lang="ts">
  import Progress from "../../ui/Progress.svelte";
  import { toast } from "svelte-sonner";
  import * as shelves from "../../api/shelves";
  import { filesOf } from "../../api/upload";
  import type { Schemas } from "../../pageData";
  import Link from "../../ui/Link.svelte";
  import { act, complain } from "../state.svelte";
  import FetchForm from "./FetchForm.svelte";

  interface Props {
    /** The shelf's. */
    slug: string;
    /** The documents that are on it. */
    documents: Schemas["Document"][];
    /** Reads the shelf anew. */
    read: () => Promise<void>;
  }

  let { slug, documents, read }: Props = $props();

  let input: HTMLInputElement | undefined = $state();
  let sending = $state<number | null>(null);
  let over = $state(false);
  let refused = $state<Schemas["Added"][]>([]);

  const unread = $derived(documents.filter((d) => d.state === "waiting" || d.state === "reading").length);
  /** Seconds that the rest will take, going by those that were read. */
  const rest = $derived.by(() => {
    const read = documents.filter((d) => d.seconds > 0);
    return read.length ? (unread * read.reduce((s, d) => s + d.seconds, 0)) / read.length : 0;
  });

  /** Opens the browser's choice of files. */
  export function choose() {
    input?.click();
  }

  async function add(files: { name: string; file: File }[]) {
    if (!files.length) return;
    sending = 0;
    try {
      const added = await shelves.addFiles(slug, files, (part) => (sending = part));
      refused = added.filter((a) => a.problem);
      const same = added.filter((a) => !a.fresh && !a.problem).length;
      const fresh = added.filter((a) => a.fresh).length;
      toast.success(
        [
          fresh && `${fresh} added`,
          same && `${same} there already`,
          refused.length && `${refused.length} refused`,
        ]
          .filter(Boolean)
          .join(", "),
      );
    } catch (e) {
      complain(e);
    }
    sending = null;
    await read();
  }

  async function fetchIt(wanted: shelves.Wanted) {
    try {
      const added = await shelves.fetchTo(slug, wanted);
      refused = added.filter((a) => a.problem);
      const fresh = added.filter((a) => a.fresh && !a.problem).length;
      toast.success(
        fresh ? `${fresh} fetched` : refused.length ? "Nothing could be taken" : "It is there already",
      );
    } catch (e) {
      complain(e);
    }
    await read();
  }

  async function drop(e: DragEvent) {
    e.preventDefault();
    over = false;
    if (e.dataTransfer) await add(await filesOf(e.dataTransfer.items));
  }
</script>

<input
  bind:this={input}
  class="sr-only"
  type="file"
  multiple
  aria-label="Files to add"
  onchange={(e) => add([...(e.currentTarget.files ?? [])].map((file) => ({ name: file.name, file })))} />

<div
  class={[
    "mt-5 rounded border-2 border-dashed px-5 py-4 text-note",
    over ? "border-accent bg-leaf" : "border-rule",
  ]}
  role="region"
  aria-label="Add documents"
  ondragover={(e) => (e.preventDefault(), (over = true))}
  ondragleave={() => (over = false)}
  ondrop={drop}>
  {#if sending !== null}
    <p role="status">Sending … {Math.round(100 * sending)} %</p>
    <Progress class="mt-2" label="Sent" value={sending} />
  {:else if unread}
    <p role="status">
      Reading: {documents.length - unread} of {documents.length} done{rest > 2
        ? `, about ${Math.ceil(rest)} seconds to go`
        : ""}.
      <Link
        class="ml-3 min-h-7"
        onclick={() =>
          act(async () => (await shelves.cancelReading(slug), await read()), "The rest is not read")}
        >Stop reading</Link>
    </p>
    <Progress class="mt-2" label="Documents read" value={(documents.length - unread) / documents.length} />
  {:else}
    <p class="text-faded">
      Drop files or folders here: PDF, Word, slides, sheets, web pages, Markdown, text, captions, pictures of
      pages, ZIPs of these.
    </p>
    <FetchForm {fetchIt} />
  {/if}
</div>
{#if refused.length}
  <ul class="mt-3 border-l-2 border-wrong pl-4 text-note">
    {#each refused as r (r.name)}<li><strong class="break-all">{r.name}</strong>: {r.problem}</li>{/each}
  </ul>
{/if}
