<!-- A part of a page that is fetched when it is first shown. Where it cannot be
     fetched, it says so and offers to try again. -->
<script lang="ts" generics="P extends Record<string, unknown>">
  import type { Component } from "svelte";

  interface Props {
    /** Fetches the part. */
    part: () => Promise<{ default: Component<P> }>;
    /** What the part is given. Default: nothing. */
    given?: P;
    /** Whether it is a whole page rather than a part of one. Default: false. */
    page?: boolean;
  }

  let { part, given = {} as P, page = false }: Props = $props();
  let fetched = $derived(part());
</script>

{#await fetched then { default: Part }}
  <Part {...given} />
{:catch}
  <svelte:element this={page ? "main" : "section"} class="mx-auto max-w-[36rem] px-6 pt-20">
    <svelte:element this={page ? "h1" : "h2"} class="font-serif text-head font-semibold"
      >Not fetched</svelte:element>
    <p class="mt-3 font-serif text-lead" role="alert">
      This page could not be fetched. The service cannot be reached.
    </p>
    <button class="button-plain mt-4" onclick={() => location.reload()}>Try again</button>
  </svelte:element>
{/await}
