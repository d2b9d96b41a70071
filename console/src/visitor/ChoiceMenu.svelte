<!-- How a visitor wants replies to be: the button that says it; what it opens comes
     when it is pressed. -->
<script lang="ts">
  import { say } from "../words";
  import SlidersHorizontal from "@lucide/svelte/icons/sliders-horizontal";
  import type { Schemas } from "../pageData";
  import type { Row } from "./ChoicePopover.svelte";
  import type { Conversation } from "./conversation.svelte";

  interface Props {
    /** The conversation that it belongs to. */
    conversation: Conversation;
    /** What the desk lets them choose. */
    offered: Schemas["Face"]["choices"];
  }

  let { conversation, offered }: Props = $props();

  let asked = $state(false);

  const rows = $derived(
    (
      [
        {
          key: "model",
          title: say.choices.model,
          options: offered.models.map((m, i): [string, string] => [i ? m.model : "", m.title]),
        },
        {
          key: "manner",
          title: say.choices.manner,
          options: offered.manner
            ? [
                ["careful", say.choices.careful],
                ["", say.choices.asUsual],
                ["inventive", say.choices.inventive],
              ]
            : [],
        },
        {
          key: "length",
          title: say.choices.length,
          options: offered.length
            ? [
                ["short", say.choices.shorter],
                ["", say.choices.asUsual],
                ["long", say.choices.longer],
              ]
            : [],
        },
        {
          key: "language",
          title: say.choices.language,
          options: offered.languages.length
            ? [["", say.choices.asTheQuestion], ...offered.languages.map((l): [string, string] => [l, l])]
            : [],
        },
      ] satisfies Row[]
    ).filter((r) => r.options.length > 1) as Row[],
  );

  const chosen = $derived(
    rows.flatMap((r) => {
      const value = conversation.choice[r.key] ?? "";
      return value ? [r.options.find((o) => o[0] === value)?.[1] ?? value] : [];
    }),
  );
</script>

{#snippet button()}
  <button
    type="button"
    class="inline-flex min-h-7 max-w-full items-center gap-1.5 rounded text-fine hover:text-accent"
    aria-haspopup="dialog"
    aria-expanded="false"
    onclick={() => (asked = true)}>
    <SlidersHorizontal size={13} class="shrink-0" aria-hidden="true" />
    <span class="truncate">{say.choices.now(chosen)}</span>
  </button>
{/snippet}

{#if rows.length}
  {#if asked}
    {#await import("./later")}{@render button()}{:then { ChoicePopover }}
      <ChoicePopover {conversation} {rows} {chosen} />
    {/await}
  {:else}
    {@render button()}
  {/if}
{/if}
