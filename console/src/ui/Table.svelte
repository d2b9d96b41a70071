<!-- A table that scrolls sideways where it is wider than its page. It sets the
     space between its columns. -->
<script lang="ts" module>
  export interface Column {
    /** What stands at its head. */
    title: string;
    /** Whether its cells are numbers, which stand to the right. Default: false. */
    number?: boolean;
    /** Whether only screen readers are told the title. Default: false. */
    silent?: boolean;
    /** Further classes of its head, as to hide it where there is little room. Default: none. */
    class?: string;
    /** What is said when the pointer rests on it. Default: nothing. */
    hint?: string;
  }
</script>

<script lang="ts">
  import type { Snippet } from "svelte";

  interface Props {
    /** What it shows, for screen readers. */
    label: string;
    /** Its columns. Default: none are named, and there is no head. */
    columns?: Column[];
    /** The least width before it scrolls, where there is room for columns. Default: none. */
    least?: string;
    /** Whether it is one of several small ones. Default: false. */
    small?: boolean;
    /** Further classes of what is around it. Default: none. */
    class?: string;
    /** Its rows. */
    children: Snippet;
  }

  let { label, columns = [], least, small = false, class: more = "", children }: Props = $props();
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<div class={["relative overflow-x-auto", more]} role="group" aria-label={label} tabindex="0">
  <table
    class={[
      "w-full text-left sm:min-w-(--least) [&_td+td]:pl-6 [&_th+th]:pl-6",
      small ? "text-fine" : "text-note",
    ]}
    style:--least={least}>
    {#if columns.length}<thead class={["text-faded", small ? "text-mini" : "text-fine"]}>
        <tr class="border-b border-rule">
          {#each columns as c, i (i)}
            <th scope="col" class={["py-2 font-medium", c.number && "text-right", c.class]}
              ><span class={c.silent ? "sr-only" : ""}>{c.title}</span></th>
          {/each}
        </tr>
      </thead>{/if}
    <tbody>{@render children()}</tbody>
  </table>
</div>
