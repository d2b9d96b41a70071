<script lang="ts">
  import type { Conversation } from "./conversation.svelte";
  import type { Turn } from "./turn.svelte";

  let { turn, conversation }: { turn: Turn; conversation: Conversation } = $props();

  const reasons: [string, string][] = [
    ["wrong", "It is wrong"],
    ["incomplete", "Something is missing"],
    ["unclear", "Hard to understand"],
    ["off-topic", "Not what I asked"],
    ["too-long", "Too long"],
    ["other", "Something else"],
  ];
  // svelte-ignore state_referenced_locally
  let remark = $state(turn.remark);
  let thanked = $state(false);

  async function say(reason: string) {
    thanked = await conversation.explain(turn, reason, remark);
  }
</script>

<form class="mt-2 max-w-sm print:hidden" onsubmit={(e) => (e.preventDefault(), say(turn.reason))}>
  <fieldset>
    <legend class="font-semibold text-ink">What was the matter?</legend>
    <div class="mt-1 flex flex-wrap gap-1.5">
      {#each reasons as [key, name] (key)}
        <button
          type="button"
          class={[
            "min-h-7 rounded border px-2",
            turn.reason === key ? "border-accent text-accent" : "border-rule hover:bg-leaf",
          ]}
          aria-pressed={turn.reason === key}
          onclick={() => say(turn.reason === key ? "" : key)}>{name}</button>
      {/each}
    </div>
  </fieldset>
  <label class="mt-2 block">
    <span class="sr-only">In your own words, if you like</span>
    <input
      class="field !min-h-8 text-ink"
      bind:value={remark}
      maxlength="2000"
      placeholder="In your own words, if you like"
      onchange={() => say(turn.reason)} />
  </label>
  {#if thanked}<p class="mt-1" role="status">Thank you. The people who run this desk will read it.</p>{/if}
</form>
