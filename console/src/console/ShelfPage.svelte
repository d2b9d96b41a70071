<script lang="ts">
  import SlidersHorizontal from "@lucide/svelte/icons/sliders-horizontal";
  import Upload from "@lucide/svelte/icons/upload";
  import { Dialog } from "bits-ui";
  import { onMount } from "svelte";
  import { toast } from "svelte-sonner";
  import * as shelves from "../api/shelves";
  import { filesOf } from "../api/upload";
  import type { Schemas } from "../given";
  import { hrefOf, router } from "./router.svelte";
  import FetchForm from "./FetchForm.svelte";
  import ShelfMap from "./ShelfMap.svelte";
  import ShelfSettings from "./ShelfSettings.svelte";
  import { act, complain, sentence } from "./state.svelte";
  import { ago } from "./time";

  let { slug }: { slug: string } = $props();

  let shelf = $state<Schemas["Shelf"] | null>(null);
  let documents = $state<Schemas["Document"][]>([]);
  let problem = $state("");
  let sending = $state<number | null>(null);
  let over = $state(false);
  let input: HTMLInputElement | undefined = $state();
  let refused = $state<Schemas["Added"][]>([]);

  let typed = $state("");
  let query = $state("");
  let hits = $state<Schemas["ShelfHit"][] | null>(null);
  let answers = $state(0);
  let mapShown = $state(false);

  let looked = $state<Schemas["Document"] | null>(null);
  let passages = $state<Schemas["ShelfPassage"][]>([]);
  let looking = $state(false);
  let settingsOpen = $state(false);

  const unread = $derived(documents.filter((d) => d.state === "waiting" || d.state === "reading").length);
  /** Seconds that the rest will take, going by those that were read. */
  const rest = $derived.by(() => {
    const read = documents.filter((d) => d.seconds > 0);
    return read.length ? (unread * read.reduce((s, d) => s + d.seconds, 0)) / read.length : 0;
  });

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

  async function search(e: SubmitEvent) {
    e.preventDefault();
    query = typed.trim();
    if (!query) {
      hits = null;
      return;
    }
    try {
      ({ hits, answers } = await shelves.search(slug, query, 8));
    } catch (e) {
      complain(e);
    }
  }

  async function remove(d: Schemas["Document"]) {
    await act(
      async () => (await shelves.removeDocument(slug, d.id), await read()),
      `${d.title || d.name} is off the shelf, and out of all answers`,
      async () => (await shelves.restoreDocument(slug, d.id), await read()),
    );
  }

  async function look(d: Schemas["Document"]) {
    looked = d;
    passages = [];
    looking = true;
    try {
      passages = (await shelves.readPassages(slug, d.id)).passages;
    } catch (e) {
      complain(e);
    }
  }

  const states: Record<Schemas["Document"]["state"], string> = {
    waiting: "waits to be read",
    reading: "is being read …",
    ready: "",
    failed: "could not be read",
  };
</script>

<main class="mx-auto max-w-[76rem] px-4 pt-8 pb-20 sm:px-8">
  <p class="text-[0.84rem]">
    <a class="text-accent underline underline-offset-4" href={hrefOf("shelves")} onclick={router.follow}
      >Shelves</a>
  </p>
  {#if problem}
    <p class="mt-6 font-serif text-lg">{problem}</p>
  {:else if shelf}
    <div class="mt-1 flex flex-wrap items-end gap-x-4 gap-y-2">
      <h1
        class="basis-full font-serif text-[1.8rem] sm:flex-1 sm:basis-0 leading-tight font-semibold break-words">
        {shelf.title}
      </h1>
      <button class="button-plain flex items-center gap-1.5" onclick={() => (settingsOpen = true)}
        ><SlidersHorizontal size={15} aria-hidden="true" /> Settings</button>
      <button class="button-main" onclick={() => input?.click()}
        ><Upload size={16} aria-hidden="true" /> Add files</button>
    </div>
    <p class="mt-1 text-[0.92rem] text-faded">
      {shelf.documents} documents, {shelf.words.toLocaleString("en")} words in {shelf.passages} passages. Desks
      name it <code>{shelf.shelf}</code>.
    </p>
    <input
      bind:this={input}
      class="sr-only"
      type="file"
      multiple
      aria-label="Files to add"
      onchange={(e) => add([...(e.currentTarget.files ?? [])].map((file) => ({ name: file.name, file })))} />

    <div
      class={[
        "mt-5 rounded border-2 border-dashed px-5 py-4 text-[0.92rem]",
        over ? "border-accent bg-leaf" : "border-rule",
      ]}
      role="region"
      aria-label="Add documents"
      ondragover={(e) => (e.preventDefault(), (over = true))}
      ondragleave={() => (over = false)}
      ondrop={drop}>
      {#if sending !== null}
        <p role="status">Sending … {Math.round(100 * sending)} %</p>
        <progress class="mt-2 w-full" value={sending} max="1" aria-label="Sent"></progress>
      {:else if unread}
        <p role="status">
          Reading: {documents.length - unread} of {documents.length} done{rest > 2
            ? `, about ${Math.ceil(rest)} seconds to go`
            : ""}.
          <button
            class="ml-3 min-h-7 text-accent underline underline-offset-4"
            onclick={() =>
              act(async () => (await shelves.cancelReading(slug), await read()), "The rest is not read")}
            >Stop reading</button>
        </p>
        <progress
          class="mt-2 w-full"
          value={documents.length - unread}
          max={documents.length}
          aria-label="Documents read"></progress>
      {:else}
        <p class="text-faded">
          Drop files or folders here: PDF, Word, slides, sheets, web pages, Markdown, text, captions, pictures
          of pages, ZIPs of these.
        </p>
        <FetchForm {fetchIt} />
      {/if}
    </div>
    {#if refused.length}
      <ul class="mt-3 border-l-2 border-accent pl-4 text-[0.9rem]">
        {#each refused as r (r.name)}<li><strong class="break-all">{r.name}</strong>: {r.problem}</li>{/each}
      </ul>
    {/if}

    <section class="mt-8" aria-labelledby="find">
      <h2 id="find" class="font-serif text-[1.2rem] font-semibold">What would a question find?</h2>
      <form class="mt-2 flex max-w-[42rem] flex-wrap gap-2" onsubmit={search}>
        <input
          class="min-w-0 flex-1 rounded border border-field bg-leaf px-3 py-2"
          bind:value={typed}
          placeholder="How long may I borrow the extractor?"
          aria-label="A question" />
        <button class="button-plain">Look</button>
        <button
          type="button"
          class="button-plain"
          aria-pressed={mapShown}
          onclick={() => (mapShown = !mapShown)}>{mapShown ? "Hide the map" : "Map"}</button>
      </form>
      <div class={["grid gap-x-8", mapShown && hits && "lg:grid-cols-[minmax(0,1fr)_minmax(0,34rem)]"]}>
        {#if hits}
          <div>
            <p class="mt-3 text-[0.9rem]">
              {hits.length ? `Likely to answer: ${Math.round(100 * answers)} %` : "Nothing was found."}
            </p>
            <ol class="mt-2">
              {#each hits as h, i (`${h.document}-${h.passage}`)}
                <li class="border-t border-rule py-3">
                  <p class="text-[0.92rem]">
                    <span class="mr-1.5 text-accent tabular-nums">{i + 1}</span><strong>{h.title}</strong
                    >{#if h.path.at(-1) && h.path.at(-1) !== h.title}<span class="text-faded"
                        >, {h.path.at(-1)}</span
                      >{/if}{#if h.place}<span class="text-faded">, {h.place}</span>{/if}
                  </p>
                  <p class="mt-1 line-clamp-3 font-serif text-[0.95rem] leading-snug">{h.text}</p>
                  <p class="mt-1 text-[0.8rem] text-faded">
                    score {h.score.toFixed(2)} · by words {h.lexical_rank ? `${h.lexical_rank}.` : "–"} · by meaning
                    {h.vector_rank ? `${h.vector_rank}.` : "–"} · both {h.fused_rank}.{h.matched.length
                      ? ` · has: ${h.matched.join(", ")}`
                      : ""}
                  </p>
                </li>
              {/each}
            </ol>
          </div>
        {/if}
        {#if mapShown}<ShelfMap {slug} {documents} {query} hits={hits ?? []} />{/if}
      </div>
    </section>

    <section class="mt-8" aria-labelledby="documents">
      <h2 id="documents" class="font-serif text-[1.2rem] font-semibold">Documents</h2>
      {#if documents.length}
        <div class="relative mt-2 overflow-x-auto">
          <table class="w-full min-w-[46rem] text-[0.9rem]">
            <thead
              ><tr class="text-left text-[0.82rem] text-faded"
                ><th class="py-1.5 font-normal">Document</th><th class="pl-4 text-right font-normal">Words</th
                ><th class="pl-4 text-right font-normal">Passages</th><th class="pl-4 text-right font-normal"
                  >Tokens</th
                ><th class="pl-4 font-normal">Language</th><th class="pl-4 font-normal">Added</th><th
                  class="font-normal"><span class="sr-only">Actions</span></th
                ></tr
              ></thead>
            <tbody>
              {#each documents as d (d.id)}
                <tr class="border-t border-rule align-baseline">
                  <td class="max-w-[26rem] py-2">
                    {#if d.state === "ready"}<button
                        class="text-left font-semibold hover:text-accent"
                        onclick={() => look(d)}>{d.title}</button
                      >{:else}<span class="font-semibold">{d.title || d.name}</span>{/if}
                    <span class="block text-[0.8rem] break-all text-faded"
                      >{d.name}{states[d.state] && `, ${states[d.state]}`}</span>
                    {#if d.problem}<span class="mt-1 block border-l-2 border-accent pl-2 text-[0.84rem]"
                        >{d.problem}</span
                      >{/if}
                  </td>
                  <td class="text-right tabular-nums">{d.words.toLocaleString("en")}</td>
                  <td class="text-right tabular-nums">{d.passages}</td>
                  <td class="text-right tabular-nums">{d.tokens.toLocaleString("en")}</td>
                  <td class="pl-4">{d.language ?? ""}</td>
                  <td class="pl-4 whitespace-nowrap text-faded">{ago(d.added_at)} by {d.added_by}</td>
                  <td class="pl-4 text-right whitespace-nowrap">
                    <a
                      class="inline-block min-h-7 text-accent underline underline-offset-4"
                      href={shelves.originalOf(slug, d.id)}
                      download
                      aria-label="File {d.name}">File</a>
                    <button
                      class="ml-3 min-h-7 text-accent underline underline-offset-4"
                      aria-label="Read again: {d.name}"
                      onclick={() =>
                        act(
                          async () => (await shelves.readAgain(slug, d.id), await read()),
                          "It is read again",
                        )}>Read again</button>
                    <button
                      class="ml-3 min-h-7 text-accent underline underline-offset-4"
                      aria-label="Remove {d.name}"
                      onclick={() => remove(d)}>Remove</button>
                  </td>
                </tr>
              {/each}
            </tbody>
          </table>
        </div>
      {:else}
        <p class="mt-2 text-faded">Nothing is on it yet.</p>
      {/if}
    </section>
  {:else}
    <p class="mt-6 text-faded">Fetching the shelf …</p>
  {/if}
</main>

{#if settingsOpen}<ShelfSettings {slug} bind:open={settingsOpen} changed={read} />{/if}

<Dialog.Root bind:open={looking}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      class="fixed inset-y-0 right-0 z-40 flex w-[min(44rem,100vw)] flex-col bg-paper shadow-xl">
      <div class="border-b border-rule px-5 py-3.5">
        <Dialog.Title class="font-serif text-lg font-semibold">{looked?.title}</Dialog.Title>
        <p class="text-[0.84rem] text-faded">Its passages, as a model sees them</p>
      </div>
      <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
      <div class="min-h-0 flex-1 overflow-y-auto px-5 pb-6" tabindex="0" role="region" aria-label="Passages">
        {#each passages as p (p.id)}
          <article class="border-b border-rule py-3">
            <p class="text-[0.8rem] text-faded">
              {p.number + 1} · {p.tokens} tokens{p.path.length ? ` · ${p.path.join(" > ")}` : ""}
            </p>
            <p class="mt-1 font-serif text-[0.95rem] leading-snug whitespace-pre-line">{p.text}</p>
          </article>
        {:else}<p class="mt-4 text-faded">Fetching the passages …</p>{/each}
      </div>
      <p class="border-t border-rule px-5 py-2.5 text-right">
        <Dialog.Close class="button-plain">Close</Dialog.Close>
      </p>
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
