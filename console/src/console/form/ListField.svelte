<!-- A list of short texts. -->
<script lang="ts">
  import Plus from "@lucide/svelte/icons/plus";
  import X from "@lucide/svelte/icons/x";
  import { tick } from "svelte";

  // A list of short texts. An empty one is not written into the file.
  interface Props {
    /** What they are. */
    label: string;
    /** A sentence about them. Default: none. */
    help?: string;
    /** The texts. */
    list: string[];
    /** How many there may be. Default: 8. */
    most?: number;
    /** What an empty one shows. Default: nothing. */
    placeholder?: string;
    /** Called with the list as it was changed. */
    change: (list: string[]) => void;
  }

  let { label, help, list, most = 8, placeholder = "", change }: Props = $props();

  let adding = $state(false);
  let place: HTMLElement;
  const shown = $derived(adding ? [...list, ""] : list);

  function typed(i: number, text: string) {
    if (i === list.length) {
      if (text) {
        adding = false;
        change([...list, text]);
      }
      return;
    }
    change(list.map((old, j) => (j === i ? text : old)));
  }

  async function add() {
    adding = true;
    await tick();
    place.querySelector<HTMLInputElement>("li:last-child input")?.focus();
  }
</script>

<fieldset bind:this={place}>
  <legend class="text-sm font-semibold">{label}</legend>
  {#if help}<p class="mt-0.5 text-fine text-faded">{help}</p>{/if}
  <ul class="mt-1.5 space-y-1.5">
    {#each shown as item, i (i)}
      <li class="flex items-center gap-1">
        <input
          class="field"
          value={item}
          {placeholder}
          aria-label="{label}, {i + 1}"
          oninput={(e) => typed(i, e.currentTarget.value)}
          onblur={() => (adding = false)} />
        {#if i < list.length}
          <button
            type="button"
            class="icon shrink-0"
            aria-label="Take out {label.toLowerCase()}, {i + 1}"
            onclick={() => change(list.filter((_, j) => j !== i))}><X size={15} aria-hidden="true" /></button>
        {/if}
      </li>
    {/each}
  </ul>
  {#if list.length < most && !adding}
    <button
      type="button"
      class="mt-1.5 inline-flex min-h-8 items-center gap-1.5 text-sm text-accent"
      onclick={add}><Plus size={14} aria-hidden="true" /> Add one</button>
  {/if}
</fieldset>
