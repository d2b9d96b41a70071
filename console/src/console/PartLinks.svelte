<!-- The parts of a page, as links side by side. -->
<script lang="ts">
  import { hrefOf, router } from "./router.svelte";

  interface Props {
    /** What they are parts of, for screen readers. */
    label: string;
    /** Each part: where it is in the console, its name, and what it is about. */
    parts: { path: string; name: string; about?: string }[];
    /** The path of the one that is shown. */
    here: string;
  }

  let { label, parts, here }: Props = $props();
</script>

<nav class="mt-1 -mb-px flex overflow-x-auto sm:gap-1" aria-label={label}>
  {#each parts as { path, name, about } (path)}
    <a
      class={[
        "border-b-2 px-2 py-2 text-fine no-underline sm:px-3 sm:text-sm",
        here === path ? "border-accent font-semibold" : "border-transparent text-faded hover:text-ink",
      ]}
      href={hrefOf(path)}
      title={about}
      aria-current={here === path ? "page" : undefined}
      onclick={router.follow}>{name}</a>
  {/each}
</nav>
