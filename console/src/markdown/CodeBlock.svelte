<script lang="ts">
  let { source, language, whole }: { source: string; language: string; whole: boolean } = $props();

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

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<pre tabindex="0" aria-label={language ? `Code, ${language}` : "Code"} role="region"><code
    >{#if marked !== null}{@html marked}{:else}{source}{/if}</code
  ></pre>
