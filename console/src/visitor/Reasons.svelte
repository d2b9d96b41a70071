<!-- What was the matter with a reply. -->
<script lang="ts">
  import { say } from "../words";
  import type { Conversation } from "./conversation.svelte";
  import type { Turn } from "./turn.svelte";

  interface Props {
    /** The turn that it shows. */
    turn: Turn;
    /** The conversation that it belongs to. */
    conversation: Conversation;
  }

  let { turn, conversation }: Props = $props();

  const reasons: [string, string][] = [
    ["wrong", say.reasons.wrong],
    ["incomplete", say.reasons.incomplete],
    ["unclear", say.reasons.unclear],
    ["off-topic", say.reasons.offTopic],
    ["too-long", say.reasons.tooLong],
    ["other", say.reasons.other],
  ];
  // svelte-ignore state_referenced_locally
  let remark = $state(turn.remark);
  let thanked = $state(false);

  async function tell(reason: string) {
    thanked = await conversation.explain(turn, reason, remark);
  }
</script>

<form class="mt-2 max-w-sm print:hidden" onsubmit={(e) => (e.preventDefault(), tell(turn.reason))}>
  <fieldset>
    <legend class="font-semibold text-ink">{say.reasons.ask}</legend>
    <div class="mt-1 flex flex-wrap gap-1.5">
      {#each reasons as [key, name] (key)}
        <button
          type="button"
          class={[
            "min-h-7 rounded border px-2",
            turn.reason === key ? "border-accent text-accent" : "border-rule hover:bg-leaf",
          ]}
          aria-pressed={turn.reason === key}
          onclick={() => tell(turn.reason === key ? "" : key)}>{name}</button>
      {/each}
    </div>
  </fieldset>
  <label class="mt-2 block">
    <span class="sr-only">{say.reasons.ownWords}</span>
    <input
      class="field !min-h-8 text-ink"
      bind:value={remark}
      maxlength="2000"
      placeholder={say.reasons.ownWords}
      onchange={() => tell(turn.reason)} />
  </label>
  {#if thanked}<p class="mt-1" role="status">{say.reasons.thanks}</p>{/if}
</form>
