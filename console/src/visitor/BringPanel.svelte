<!-- Where a visitor says what is to be read: an address, a topic, a search, or one of
     the desk's documents. -->
<script lang="ts">
  import BookOpen from "@lucide/svelte/icons/book-open";
  import { onMount } from "svelte";
  import { listTitles } from "../api/visiting";
  import { pageData, type Schemas } from "../pageData";
  import { say } from "../words";
  import type { Brought } from "./brought.svelte";

  interface Props {
    /** What the desk offers. */
    offered: Schemas["Bringing"];
    /** What was brought. */
    brought: Brought;
    /** Called once something is being brought. */
    done: () => void;
    /** The id of its field, for labels elsewhere. */
    id: string;
    /** Whether the cursor goes there when it appears; not on a phone. Default: no. */
    first?: boolean;
    /** Closes it, where it can be closed. Default: it cannot. */
    close?: () => void;
  }

  let { offered, brought, done, id, first = false, close }: Props = $props();

  type Way = {
    key: string;
    title: string;
    kind: "topic" | "search" | "address" | "document";
    source?: string;
  };
  const ways = $derived<Way[]>([
    ...offered.sources.map((s) => ({
      key: `from ${s.title}`,
      title: s.title,
      kind: s.kind,
      source: s.title,
    })),
    ...(offered.addresses ? [{ key: "address", title: say.bring.anAddress, kind: "address" as const }] : []),
    ...(offered.documents
      ? [{ key: "document", title: say.bring.aDocument, kind: "document" as const }]
      : []),
  ]);
  // svelte-ignore state_referenced_locally
  let chosen = $state(ways[0]?.key ?? "");
  const way = $derived(ways.find((w) => w.key === chosen) ?? ways[0]!);
  let words = $state("");

  /** What looks like an address is one, whatever was chosen. */
  const isAddress = $derived(
    offered.addresses &&
      (/^https?:\/\/\S+$/.test(words.trim()) || /^[\w-]+(\.[\w-]+)+(:\d+)?(\/\S*)?$/.test(words.trim())),
  );
  const label = $derived(
    {
      topic: say.bring.topic,
      search: say.bring.search,
      address: say.bring.address,
      document: say.bring.title,
    }[way.kind],
  );

  let field: HTMLInputElement;
  onMount(() => {
    if (first && !pageData.preview && !matchMedia("(pointer: coarse)").matches) field.focus();
  });

  let titles = $state<Schemas["TitleList"] | null>(null);
  let asked = 0;
  $effect(() => {
    if (way.kind !== "document") return;
    const search = words.trim();
    const mine = ++asked;
    const timer = setTimeout(
      () =>
        void listTitles(search).then(
          (found) => mine === asked && (titles = found),
          () => mine === asked && (titles = null),
        ),
      titles ? 200 : 0,
    );
    return () => clearTimeout(timer);
  });

  async function bring(wish: Schemas["Wish"]) {
    if (brought.busy) return;
    if (await brought.bring(wish)) {
      words = "";
      done();
    }
  }

  function submit() {
    const about = words.trim();
    if (!about || (way.kind === "document" && !isAddress)) return;
    void bring(isAddress ? { kind: "address", about } : { kind: way.kind, source: way.source, about });
  }
</script>

<form class="rounded-md border border-rule bg-leaf p-3" onsubmit={(e) => (e.preventDefault(), submit())}>
  {#if ways.length > 1}
    <fieldset class="mb-2.5">
      <legend class="sr-only">{say.bring.where}</legend>
      <div class="flex flex-wrap gap-1.5">
        {#each ways as w (w.key)}
          <label
            class={[
              "inline-flex min-h-8 cursor-pointer items-center rounded-full border px-3 text-fine",
              "has-focus-visible:outline-2 has-focus-visible:outline-accent",
              chosen === w.key ? "border-accent bg-paper font-semibold text-accent" : "border-field bg-paper",
            ]}>
            <input type="radio" class="sr-only" name="{id}-way" value={w.key} bind:group={chosen} />
            <span class="max-w-64 truncate">{w.title}</span>
          </label>
        {/each}
      </div>
    </fieldset>
  {/if}
  <label class="block text-fine text-faded" for={id}>{label}</label>
  <div class="mt-1 flex flex-wrap gap-2">
    <input
      bind:this={field}
      {id}
      class="field min-w-0 flex-1 basis-60"
      bind:value={words}
      maxlength="2000"
      autocomplete="off"
      autocapitalize="off"
      spellcheck="false"
      enterkeyhint="go"
      onkeydown={(e) => {
        if (e.key === "Escape" && close) {
          e.stopPropagation();
          close();
        }
      }} />
    {#if way.kind !== "document" || isAddress}
      <button class="button-main" aria-disabled={!words.trim() || brought.busy}>
        <BookOpen size={15} aria-hidden="true" />
        {say.bring.read}
      </button>
    {/if}
    {#if close}<button type="button" class="button-plain" onclick={close}>{say.bring.leave}</button>{/if}
  </div>
  {#if way.kind === "document" && titles && !isAddress}
    <ul class="mt-2 max-h-52 overflow-y-auto border-t border-rule" aria-label={say.bring.titles}>
      {#each titles.titles as t (`${t.shelf} ${t.document}`)}
        <li class="border-b border-rule">
          <button
            type="button"
            class="flex w-full items-baseline gap-3 px-1 py-1.5 text-left hover:text-accent"
            onclick={() => bring({ kind: "document", shelf: t.shelf, document: t.document })}>
            <span class="min-w-0 flex-1 font-serif break-words">{t.title}</span>
            <span class="shrink-0 text-mini text-faded"
              >{t.pages ? say.attachments.pages(t.pages) : say.attachments.words(t.words)}</span>
          </button>
        </li>
      {:else}<li class="px-1 py-2 text-fine text-faded">{say.bring.noTitle}</li>{/each}
      {#if titles.more}<li class="px-1 py-2 text-fine text-faded">{say.bring.moreTitles}</li>{/if}
    </ul>
  {/if}
  {#if brought.problem}<p class="mt-2 text-fine text-wrong" role="alert">{brought.problem}</p>{/if}
</form>
