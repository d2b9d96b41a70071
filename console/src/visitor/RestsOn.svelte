<!-- What the conversation rests on, above the question box. -->
<script lang="ts">
  import BookOpen from "@lucide/svelte/icons/book-open";
  import X from "@lucide/svelte/icons/x";
  import { say } from "../words";
  import type { Brought, Errand } from "./brought.svelte";
  import ErrandCard from "./ErrandCard.svelte";

  interface Props {
    /** What was brought. */
    brought: Brought;
    /** Whether the cards are shown elsewhere on the page. */
    elsewhere: boolean;
    /** Whether a panel below says itself what went wrong. */
    bringing: boolean;
    /** Whether the desk has documents of its own. */
    ownDocuments: boolean;
    /** Asks a question about it. */
    ask: (question: string) => void;
  }

  let { brought, elsewhere, bringing, ownDocuments, ask }: Props = $props();

  let open = $state("");
  const shown = $derived(brought.errands.find((e) => e.id === open));

  const title = (e: Errand) => (e.works.length === 1 ? e.works[0]!.name : e.wanted);
  const ready = (e: Errand) => e.works.filter((w) => w.state === "ready").length;
  const how = (e: Errand) =>
    e.state === "choose"
      ? say.bring.choose
      : e.state === "failed" || (e.works.length > 0 && e.works.every((w) => w.state === "failed"))
        ? say.bring.failed
        : e.total > 1
          ? say.bring.counted(ready(e), e.total)
          : e.state === "running"
            ? say.bring.fetching
            : e.reading
              ? say.bring.reading
              : "";
  const wrong = (e: Errand) => e.state === "failed" || (e.works.length > 0 && ready(e) === 0 && !e.reading);

  function press(e: Errand) {
    open = open === e.id ? "" : e.id;
  }
</script>

{#if brought.errands.length && !elsewhere}
  <div class="mb-2 text-fine">
    {#if shown}<div class="mb-2 max-h-[50dvh] overflow-y-auto">
        <ErrandCard errand={shown} {brought} {ask} />
      </div>{/if}
    <ul class="flex flex-wrap gap-2" aria-label={say.bring.restsOn}>
      {#each brought.errands as e (e.id)}
        <li
          class={[
            "flex max-w-full items-center gap-1 rounded border bg-leaf py-0.5 pr-0.5 pl-2.5",
            wrong(e) ? "border-wrong" : "border-rule",
          ]}>
          <BookOpen size={14} class="shrink-0 text-faded" aria-hidden="true" />
          <button
            class="min-h-8 min-w-0 px-1 text-left hover:text-accent"
            aria-expanded={open === e.id}
            onclick={() => press(e)}>
            <span class="block max-w-56 truncate" title={title(e)}>{title(e)}</span>
            {#if how(e)}<span
                class={["block text-mini first-letter:uppercase", wrong(e) ? "text-wrong" : "text-faded"]}
                >{how(e)}</span
              >{/if}
          </button>
          <button
            class="icon !size-8 shrink-0"
            aria-label={say.bring.putAwayNamed(title(e))}
            title={say.bring.putAway}
            onclick={() => brought.putAway(e)}><X size={14} aria-hidden="true" /></button>
        </li>
      {/each}
    </ul>
    <p class="mt-1 text-faded">{ownDocuments ? say.bring.alone : say.bring.only}</p>
  </div>
{/if}
{#if brought.away}
  <p class="mb-2 flex flex-wrap items-center gap-x-3 text-fine text-faded" role="status">
    <span class="min-w-0 truncate">{say.bring.wasPutAway(title(brought.away))}</span>
    <button
      class="min-h-8 font-semibold text-accent hover:underline"
      onclick={() => brought.away && brought.takeUp(brought.away)}>{say.bring.takeUp}</button>
  </p>
{/if}
{#if brought.problem && !elsewhere && !bringing}<p class="mb-2 text-fine text-wrong" role="alert">
    {brought.problem}
  </p>{/if}
<p class="sr-only" role="status">
  {brought.running
    ? say.bring.spokenComing
    : brought.errands.some((e) => ready(e))
      ? say.bring.spokenThere
      : ""}
</p>
