<!-- A document, at the place where a sentence stands. -->
<script lang="ts">
  import { say } from "../words";
  import Download from "@lucide/svelte/icons/download";
  import Dialog from "../ui/Dialog.svelte";
  import { tick } from "svelte";
  import { Trouble } from "../api/service";
  import { readText } from "../api/visiting";
  import { pageData, type Schemas } from "../pageData";
  import type { Shown } from "./sources";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** What is looked up. */
    note: Shown;
    /** The question that it answers. */
    question: string;
    /** Whether the document can be read whole. Default: where the desk allows it. */
    whole?: boolean;
  }

  let { open = $bindable(), note, question, whole = true }: Props = $props();

  type Block = Schemas["Block"];
  let blocks = $state<Block[]>([]);
  let problem = $state("");
  let body: HTMLElement | undefined = $state();

  const base = $derived(
    `/api/at/${encodeURIComponent(pageData.slug)}/shelves/${encodeURIComponent(note.passage.shelf)}/documents/${note.passage.document}`,
  );
  /** Whether visitors read the passages alone; what they attached is theirs whole. */
  const short = $derived(
    !whole || (!!pageData.desk?.passages_only && !note.passage.shelf.startsWith("attached-")),
  );
  const drawn = $derived(note.passage.format === "pdf" || note.passage.format === "picture");
  /** The pages on which something is marked, with the boxes of what is. */
  const pages = $derived.by(() => {
    const all = new Map<number, [number, number, number, number][]>();
    for (const m of note.marks) {
      const b = blocks[m.block];
      b?.marks?.forEach((line, i) => {
        const next = b.marks![i + 1]?.at ?? b.text.length;
        if (line.page && line.box && line.at < m.to && next > m.from)
          all.set(line.page, [...(all.get(line.page) ?? []), line.box as [number, number, number, number]]);
      });
    }
    return [...all].sort(([a], [b]) => a - b);
  });

  $effect(() => {
    if (!open || short) return;
    blocks = [];
    problem = "";
    readText(note.passage.shelf, note.passage.document)
      .then(async (r) => {
        blocks = r.blocks;
        await tick();
        body?.querySelector("mark, .box")?.scrollIntoView({ block: "center" });
      })
      .catch((e) => (problem = e instanceof Trouble ? e.detail : say.document.failed));
  });

  /** A text before and after words in it; only the first if it has not got them. */
  function around(text: string, words: string): [string, string?] {
    const at = words ? text.indexOf(words) : -1;
    return at < 0 ? [text] : [text.slice(0, at), text.slice(at + words.length)];
  }

  const encoder = new TextEncoder();
  const decoder = new TextDecoder();
  /** A block's text cut where something is marked; offsets are in bytes. */
  function pieces(b: Block, index: number): { text: string; lit: boolean }[] {
    const bytes = encoder.encode(b.text);
    const marks = note.marks.filter((m) => m.block === index).sort((a, c) => a.from - c.from);
    const out: { text: string; lit: boolean }[] = [];
    let last = 0;
    for (const m of marks) {
      if (m.from < last) continue;
      out.push(
        { text: decoder.decode(bytes.subarray(last, m.from)), lit: false },
        { text: decoder.decode(bytes.subarray(m.from, m.to)), lit: true },
      );
      last = m.to;
    }
    out.push({ text: decoder.decode(bytes.subarray(last)), lit: false });
    return out.filter((p) => p.text);
  }

  function clock(seconds: number): string {
    const s = Math.floor(seconds);
    return `${s >= 3600 ? `${Math.floor(s / 3600)}:` : ""}${String(Math.floor(s / 60) % 60).padStart(s >= 3600 ? 2 : 1, "0")}:${String(s % 60).padStart(2, "0")}`;
  }
  const timed = $derived(note.passage.format === "srt" || note.passage.format === "webvtt");
</script>

{#snippet text(b: Block, i: number)}
  {#each pieces(b, i) as p, k (k)}{#if p.lit}<mark>{p.text}</mark>{:else}{p.text}{/if}{/each}
{/snippet}

<Dialog
  bind:open
  title={note.passage.title}
  about={note.place}
  place="right"
  width="46rem"
  cross={say.general.close}>
  {#snippet beside()}
    {#if !short}<a
        class="icon -mt-1"
        href="{pageData.base}{base}/original"
        download
        title={say.document.download}
        aria-label={say.document.download}><Download size={17} aria-hidden="true" /></a
      >{/if}
  {/snippet}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <div
    bind:this={body}
    class="min-h-0 flex-1 overflow-y-auto px-5 py-4 sm:px-8"
    tabindex="0"
    role="region"
    aria-label={say.document.label}>
    {#if short}
      {@const [before, after] = around(note.passage.text, note.quote).map((t) => t?.replaceAll("\n", "\n\n"))}
      <p class="font-serif text-lead leading-relaxed whitespace-pre-line">
        {before}{#if after !== undefined}<mark>{note.quote}</mark>{after}{/if}
      </p>
      {#if whole}<p class="mt-5 text-note text-faded">{say.document.passageOnly}</p>{/if}
    {:else if problem}
      <p class="font-serif text-lead">{problem}</p>
    {:else if !blocks.length}
      <p class="text-faded">{say.document.fetching}</p>
    {:else if drawn && pages.length}
      {#each pages as [page, boxes] (page)}
        <figure class="mb-6 border border-rule bg-white">
          <div class="relative">
            <img
              class="block w-full"
              src="{pageData.base}{base}/pages/{page}.png"
              alt={say.document.pageOf(page, note.passage.title)} />
            {#each boxes as [left, top, width, height], i (i)}
              <span
                class="box absolute bg-marker/60 mix-blend-multiply"
                style="left:{100 * left - 0.4}%;top:{100 * top - 0.2}%;width:{100 * width +
                  0.8}%;height:{100 * height + 0.4}%"></span>
            {/each}
          </div>
          <figcaption class="border-t border-rule bg-paper px-3 py-1.5 text-fine text-faded">
            {say.document.page(page)}
          </figcaption>
        </figure>
      {/each}
      {#if note.quote}<p class="font-serif text-note italic">“{note.quote}”</p>{/if}
    {:else}
      <div class="prose">
        {#each blocks as b, i (i)}
          {#if b.kind === "heading"}
            <svelte:element this={`h${Math.min(6, (b.level ?? 1) + 2)}`}>{@render text(b, i)}</svelte:element>
          {:else if b.kind === "code"}
            <pre>{@render text(b, i)}</pre>
          {:else if b.kind === "item"}
            <p class="!mt-1" style="padding-left:{(b.level ?? 1) * 1.1}em">– {@render text(b, i)}</p>
          {:else if b.kind === "listing"}
            <p class="!mt-0 !text-fine text-faded">{@render text(b, i)}</p>
          {:else if b.kind === "row"}
            <p class="!mt-1 border-b border-rule pb-1 text-text">{@render text(b, i)}</p>
          {:else}
            <p>
              {#if timed && b.marks?.[0]}<span class="mr-2 text-sm text-faded tabular-nums"
                  >{clock(b.marks[0].time ?? 0)}</span
                >{/if}{@render text(b, i)}
            </p>
          {/if}
        {/each}
      </div>
    {/if}
  </div>
  <p class="sr-only">{say.document.about(question)}</p>
</Dialog>
