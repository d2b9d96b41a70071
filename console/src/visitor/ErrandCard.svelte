<!-- What was brought, before it is asked about: what it is, how it begins, from where;
     or how far it is, or why it did not come. -->
<script lang="ts">
  import ExternalLink from "@lucide/svelte/icons/external-link";
  import X from "@lucide/svelte/icons/x";
  import Progress from "../ui/Progress.svelte";
  import type { Schemas } from "../pageData";
  import { fromService, say } from "../words";
  import type { Brought, Errand } from "./brought.svelte";

  interface Props {
    /** The errand. */
    errand: Errand;
    /** What it belongs to. */
    brought: Brought;
    /** Asks a question about it. Default: no questions are offered. */
    ask?: (question: string) => void;
  }

  let { errand, brought, ask }: Props = $props();

  type Work = Schemas["BroughtWork"];
  const works = $derived(errand.works);
  const only = $derived(works.length === 1 && errand.total <= 1 ? works[0] : undefined);
  const good = $derived(works.filter((w) => w.state === "ready").length);
  const coming = $derived(works.filter((w) => w.state === "waiting" || w.state === "reading").length);
  const bad = $derived([
    ...works
      .filter((w) => w.state === "failed")
      .map((w) => ({ name: w.name, why: fromService(w.phrase, w.problem) })),
    ...errand.failed.map((f) => ({ name: f.name, why: fromService(f.phrase, f.problem) })),
  ]);
  const title = $derived(only?.name ?? errand.wanted);
  const kinds = $derived(works.every((w) => w.kind === "paper") && works.length ? "papers" : "pages");

  let all = $state(false);
  const few = 5;

  const openers = $derived.by(() => {
    if (only)
      return only.headings
        .slice(0, 4)
        .map((h) => say.bring.opener(only!.name, h.replace(/^[0-9]+([.][0-9]+)*[.)]?\s+/, "")));
    return works
      .filter((w) => w.state === "ready")
      .slice(0, 3)
      .map((w) => say.bring.openerOf(w.name));
  });

  const facts = (w: Work) =>
    [
      w.pages ? say.attachments.pages(w.pages) : w.words ? say.bring.words(w.words) : "",
      w.dated ? say.bring.dated(new Date(w.dated)) : "",
      w.kind ? w.host : say.bring.ofThisDesk,
    ].filter(Boolean);
</script>

{#snippet original(w: Work)}
  {#if w.kind && w.address}
    <a
      class="inline-flex items-center gap-1 text-accent hover:underline"
      href={w.address}
      target="_blank"
      rel="noopener noreferrer nofollow"
      >{say.bring.original}<ExternalLink size={13} aria-hidden="true" /><span class="sr-only"
        >{say.bring.newWindow}</span
      ></a>
  {/if}
{/snippet}

<section class="rounded-md border border-rule bg-paper px-4 py-3" aria-label={title}>
  <div class="flex items-start gap-2">
    <h2 class="min-w-0 flex-1 font-serif text-lead leading-snug font-semibold break-words">{title}</h2>
    <button
      class="icon !size-8 shrink-0"
      aria-label={say.bring.putAwayNamed(title)}
      title={say.bring.putAway}
      onclick={() => brought.putAway(errand)}><X size={15} aria-hidden="true" /></button>
  </div>

  {#if errand.nearest && errand.state !== "choose" && only}
    <p class="text-fine text-faded">{say.bring.nearest(errand.wanted)}</p>
  {/if}

  {#if errand.state === "choose"}
    <p class="mt-1 text-fine">{say.bring.meanings}</p>
    <ul class="mt-1 border-t border-rule">
      {#each errand.meanings as m (m.title)}
        <li class="border-b border-rule">
          <button
            class="group w-full px-1 py-2 text-left hover:bg-leaf"
            onclick={() => brought.choose(errand, m.title)}>
            <span class="font-serif font-semibold group-hover:text-accent">{m.title}</span>
            <span class="block text-fine text-faded"
              >{m.about.replace(m.title, "").replace(/^[\s,;:–-]+/, "")}</span>
          </button>
        </li>
      {/each}
    </ul>
  {:else if errand.state === "failed"}
    <p class="mt-1 text-fine text-wrong first-letter:uppercase">
      {fromService(errand.phrase, errand.problem)}.
    </p>
    <button
      class="button-plain mt-2"
      aria-label={say.bring.againNamed(title)}
      onclick={() => brought.choose(errand, "")}>{say.bring.again}</button>
  {:else}
    {#if errand.state === "running" || coming}
      <div class="mt-1.5 flex flex-wrap items-center gap-x-3 gap-y-1.5 text-fine text-faded">
        {#if errand.total > 1}
          <Progress class="w-36" label={say.bring.progress} value={(good + bad.length) / errand.total} />
          <span>{say.bring.some(good, errand.total, kinds, true)}</span>
        {:else}
          <span>{errand.total && coming ? say.bring.reading : say.bring.fetching}</span>
        {/if}
        {#if errand.state === "running"}
          <button
            class="font-semibold text-accent hover:underline"
            aria-label={say.bring.stopNamed(title)}
            onclick={() => brought.stop(errand)}>{say.bring.stop}</button>
        {/if}
      </div>
    {/if}
    {#if errand.state === "stopped"}
      <p class="mt-1 text-fine text-faded">
        {say.bring.stopped(good)}
        <button
          class="font-semibold text-accent hover:underline"
          aria-label={say.bring.againNamed(title)}
          onclick={() => brought.choose(errand, "")}>{say.bring.again}</button>
      </p>
    {/if}
    {#if only}
      <p class="mt-0.5 flex flex-wrap gap-x-3 text-fine text-faded">
        {#each facts(only) as fact (fact)}<span>{fact}</span>{/each}
        {@render original(only)}
      </p>
      {#if only.state === "failed"}
        <p class="mt-1 text-fine text-wrong first-letter:uppercase">
          {fromService(only.phrase, only.problem)}.
        </p>
      {:else if only.beginning}
        <p class="mt-2 line-clamp-5 font-serif leading-relaxed break-words">{only.beginning}</p>
      {/if}
      {#if only.state === "ready" && only.share !== undefined && only.share < 0.98}
        <p class="mt-1 text-fine text-wrong first-letter:uppercase">{say.attachments.partly(only.share)}</p>
      {/if}
    {:else if works.length}
      {#if errand.state === "ready" && !coming}
        <p class="mt-0.5 text-fine text-faded">
          {say.bring.some(good, Math.max(errand.total, works.length), kinds, false)}
        </p>
      {/if}
      <ul class="mt-1.5 text-fine">
        {#each all ? works : works.slice(0, few) as w (w.name + w.address)}
          <li class="py-0.5">
            <details>
              <summary
                class={[
                  "cursor-pointer truncate font-serif",
                  w.state === "failed" && "text-faded line-through",
                ]}
                title={w.name}>{w.name}</summary>
              <div class="pb-2 pl-4 text-faded">
                <p class="flex flex-wrap gap-x-3">
                  {#each facts(w) as fact (fact)}<span>{fact}</span>{/each}
                  {@render original(w)}
                </p>
                {#if w.beginning}<p class="mt-1 line-clamp-6 font-serif text-ink break-words">
                    {w.beginning}
                  </p>{/if}
              </div>
            </details>
          </li>
        {/each}
      </ul>
      {#if works.length > few}
        <button class="mt-1 text-fine font-semibold text-accent hover:underline" onclick={() => (all = !all)}
          >{all ? say.bring.fewer : say.bring.all(works.length)}</button>
      {/if}
    {/if}
    {#if !only && bad.length}
      <ul class="mt-1.5 text-fine text-wrong">
        {#each bad as b (b.name + b.why)}<li>{say.bring.didNotCome(b.name, b.why)}</li>{/each}
      </ul>
    {/if}
    {#if errand.left_out}<p class="mt-1 text-fine text-faded">{say.bring.leftOut(errand.left_out)}</p>{/if}
    {#if errand.estimate}
      <p class="mt-1.5 text-fine">
        {say.bring.estimate(errand.estimate.cost)}
        <button class="font-semibold text-accent hover:underline" onclick={() => brought.agree(errand)}
          >{say.bring.agree}</button>
      </p>
    {/if}
    {#if ask && good && openers.length}
      <ul class="mt-3 border-t border-rule" aria-label={say.bring.openers}>
        {#each openers as o (o)}
          <li class="border-b border-rule last:border-b-0">
            <button
              class="w-full py-1.5 text-left font-serif leading-snug break-words hover:text-accent"
              onclick={() => ask(o)}>{o}</button>
          </li>
        {/each}
      </ul>
    {/if}
  {/if}
</section>
