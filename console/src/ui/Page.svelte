<!-- The frame of a page of the console: its heading, what can be done there, and
     what it is about. -->
<script lang="ts">
  import type { Snippet } from "svelte";

  interface Props {
    /** Its heading. */
    title: string;
    /** A sentence or two below the heading. Default: none. */
    about?: string;
    /** Whether lines of text should stay short. Default: false. */
    narrow?: boolean;
    /** Buttons beside the heading. Default: none. */
    actions?: Snippet;
    children: Snippet;
  }

  let { title, about, narrow = false, actions, children }: Props = $props();
</script>

<main class={["mx-auto px-4 pt-8 pb-20 sm:px-8", narrow ? "max-w-[60rem]" : "max-w-[76rem]"]}>
  <div class="flex flex-wrap items-center gap-3">
    <h1 class="mr-auto font-serif text-head font-semibold">{title}</h1>
    {@render actions?.()}
  </div>
  {#if about}<p class="mt-1.5 max-w-[46rem] text-note text-faded">{about}</p>{/if}
  {@render children()}
</main>
