<!-- A reply that is several texts. -->
<script lang="ts">
  import { say } from "../words";
  import Check from "@lucide/svelte/icons/check";
  import { pageData } from "../pageData";
  import Markdown from "../markdown/Markdown.svelte";
  import type { Conversation } from "./conversation.svelte";
  import type { Turn } from "./turn.svelte";

  interface Props {
    /** The turn that it shows. */
    turn: Turn;
    /** Where one of them can be preferred. Default: it is only read. */
    conversation?: Conversation;
  }

  let { turn, conversation }: Props = $props();

  const cards = $derived(turn.show === "cards");
  const choosing = $derived(!turn.running && turn.preferred === null && !!conversation);
</script>

<div
  class={[
    "grid gap-x-8 gap-y-6",
    cards ? "" : turn.lanes.length > 2 ? "sm:grid-cols-2 lg:grid-cols-3" : "sm:grid-cols-2",
  ]}>
  {#each turn.lanes as lane, i (i)}
    <section
      class={[
        "min-w-0",
        cards ? "rounded border px-4 py-3" : "border-t-2 pt-2",
        turn.preferred === i ? "border-accent" : "border-rule",
      ]}
      aria-label={cards ? say.lanes.way(i + 1) : lane.title}>
      {#if !cards}
        <h3 class="mb-2 flex items-center gap-2 text-note font-semibold">
          {lane.title}
          {#if turn.preferred === i}<span class="font-normal text-accent">{say.lanes.yours}</span>{/if}
        </h3>
      {/if}
      {#if lane.text}<Markdown text={lane.text} growing={turn.running} />{/if}
      {#if lane.failed && !lane.text}<p class="text-note text-faded">
          {say.lanes.failed}
        </p>{/if}
      {#if turn.running && !lane.text}<p class="text-faded">
          <span class="pen" aria-hidden="true"></span> <span class="sr-only">{say.lanes.writing}</span>
        </p>{/if}
      <div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-fine text-faded">
        {#if lane.seconds && !cards}<span>{say.lanes.seconds(lane.seconds)}</span>{/if}
        {#if pageData.maker && lane.reply_tokens}<span
            >{say.lanes.cost(lane.reply_tokens, lane.cost ?? 0)}</span
          >{/if}
        {#if turn.preferred === i && cards}
          <span class="inline-flex items-center gap-1 font-semibold text-accent"
            ><Check size={14} aria-hidden="true" /> {say.lanes.taken}</span>
        {:else if conversation && !turn.running && lane.text && turn.preferred !== i}
          <button class="button-plain !min-h-8 text-ink" onclick={() => conversation.prefer(turn, i)}
            >{cards ? say.lanes.take : say.lanes.prefer}</button>
        {/if}
      </div>
    </section>
  {/each}
</div>
{#if choosing && turn.lanes.length > 1}
  <p class="mt-3 text-fine text-faded">
    {cards ? say.lanes.takeAbout : say.lanes.preferAbout}
  </p>
{/if}
