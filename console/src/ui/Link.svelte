<!-- Words that lead somewhere, or do something on the spot. -->
<script lang="ts">
  import type { Snippet } from "svelte";
  import type { HTMLAnchorAttributes, HTMLButtonAttributes } from "svelte/elements";

  interface Props extends Omit<HTMLButtonAttributes, "class" | "children" | "onclick"> {
    /** Where it leads. Default: nowhere; then it is a button. */
    href?: string;
    /** Whether the browser is to save what is there. Default: false. */
    download?: HTMLAnchorAttributes["download"];
    /** Where it opens. Default: here. */
    target?: string;
    /** What the page there may know of this one. Default: as the browser has it. */
    rel?: string;
    /** What it does when it is pressed. Default: nothing but lead there. */
    onclick?: (e: MouseEvent & { currentTarget: EventTarget & HTMLAnchorElement }) => unknown;
    /** Further classes. Default: none. */
    class?: string;
    children: Snippet;
  }

  let { href, download, target, rel, onclick, class: more = "", children, ...rest }: Props = $props();
  const look = $derived(["text-accent underline underline-offset-4", more]);
</script>

{#if href !== undefined}
  <a {href} {download} {target} {rel} {onclick} class={look} {...rest as HTMLAnchorAttributes}
    >{@render children()}</a>
{:else}
  <button type="button" onclick={onclick as HTMLButtonAttributes["onclick"]} class={look} {...rest}
    >{@render children()}</button>
{/if}
