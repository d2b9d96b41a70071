<!-- What a visitor can set about replies; it opens as soon as it is there. -->
<script module lang="ts">
  import type { Schemas } from "../pageData";

  /** Something that can be set, and to what. */
  export type Row = { key: keyof Schemas["Choice"]; title: string; options: [value: string, name: string][] };
</script>

<script lang="ts">
  import { say } from "../words";
  import SlidersHorizontal from "@lucide/svelte/icons/sliders-horizontal";
  import { Popover } from "bits-ui";
  import type { Conversation } from "./conversation.svelte";

  interface Props {
    /** The conversation that it belongs to. */
    conversation: Conversation;
    /** What can be set. */
    rows: Row[];
    /** The names of what was set. */
    chosen: string[];
  }

  let { conversation, rows, chosen }: Props = $props();

  let open = $state(true);

  function set(key: Row["key"], value: string) {
    conversation.choose({ ...conversation.choice, [key]: value || undefined });
  }
</script>

<Popover.Root bind:open>
  <Popover.Trigger
    class="inline-flex min-h-7 max-w-full items-center gap-1.5 rounded text-fine hover:text-accent">
    <SlidersHorizontal size={13} class="shrink-0" aria-hidden="true" />
    <span class="truncate">{say.choices.now(chosen)}</span>
  </Popover.Trigger>
  <Popover.Portal disabled>
    <Popover.Content
      side="top"
      align="end"
      sideOffset={8}
      collisionPadding={10}
      class="z-40 w-[min(24rem,92vw)] rounded-md border border-rule bg-paper p-4 shadow-lg">
      {#each rows as row (row.key)}
        <fieldset class="mt-3 first:mt-0">
          <legend class="mb-1 text-sm font-semibold">{row.title}</legend>
          <div class="flex flex-wrap gap-1.5">
            {#each row.options as [value, name] (value)}
              {@const on = (conversation.choice[row.key] ?? "") === value}
              <label
                class={[
                  "cursor-pointer rounded border px-2.5 py-1 text-sm",
                  "has-focus-visible:outline-2 has-focus-visible:outline-accent",
                  on ? "border-accent bg-accent text-on-accent" : "border-rule hover:bg-leaf",
                ]}>
                <input
                  class="sr-only"
                  type="radio"
                  name={row.key}
                  {value}
                  checked={on}
                  onchange={() => set(row.key, value)} />{name}
              </label>
            {/each}
          </div>
        </fieldset>
      {/each}
      <p class="mt-3 text-fine text-faded">
        {say.choices.kept}
      </p>
    </Popover.Content>
  </Popover.Portal>
</Popover.Root>
