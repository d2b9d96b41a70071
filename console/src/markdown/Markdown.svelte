<script lang="ts">
  import { Blocks } from "./blocks";
  import { hasMath, math } from "./math.svelte";
  import CodeBlock from "./CodeBlock.svelte";
  import { render } from "./render";

  let {
    text,
    growing = false,
    finish = (html) => html,
  }: {
    text: string;
    growing?: boolean;
    /** Has the last word on what is shown; it must keep it safe. */ finish?: (html: string) => string;
  } = $props();

  const reader = new Blocks();
  const blocks = $derived(reader.update(text, growing));

  // Formulas come once there are some to set.
  $effect(() => {
    if (hasMath(text)) math.load();
  });
</script>

<div class={["prose", growing && "growing"]}>
  {#each blocks as block (block.key)}
    {#if block.kind === "code"}
      <CodeBlock source={block.source} language={block.language} whole={block.whole || !growing} />
    {:else}
      {@html finish(math.set(render(block.source)))}
    {/if}
  {/each}
</div>
