<!-- Code in a reply, coloured once it is whole. -->
<script lang="ts">
  import { say } from "../words";
  import CopyButton from "../ui/CopyButton.svelte";

  interface Props {
    /** The code. */
    source: string;
    /** What it is written in; "" if that is not said. */
    language: string;
    /** Whether all of it is there. */
    whole: boolean;
  }

  let { source, language, whole }: Props = $props();

  let marked = $state<string | null>(null);

  // Colours come once the code is whole; they change no line's height.
  $effect(() => {
    const wanted = source;
    marked = null;
    if (!whole || !language) return;
    void import("./highlight").then(({ highlight }) => {
      if (wanted === source) marked = highlight(source, language);
    });
  });
</script>

<div class="code group relative">
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <pre tabindex="0" aria-label={say.code.of(language)} role="region"><code
      >{#if marked !== null}{@html marked}{:else}{source}{/if}</code></pre>
  {#if whole}
    <CopyButton
      text={source}
      label={say.code.copy}
      class={[
        "absolute top-1 right-1 rounded bg-leaf px-2 font-sans text-mini text-faded opacity-0",
        "transition-opacity group-focus-within:opacity-100 group-hover:opacity-100",
        "pointer-coarse:opacity-100 print:hidden",
      ]} />
  {/if}
</div>
