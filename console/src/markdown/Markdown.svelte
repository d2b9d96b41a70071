<!-- A text in Markdown, which may be growing. -->
<script lang="ts">
  import { Blocks } from "./blocks";
  import { hasMath, math } from "./math.svelte";
  import CodeBlock from "./CodeBlock.svelte";
  import { render } from "./render";

  interface Props {
    /** The text. */
    text: string;
    /** Whether more is to come. Default: false. */
    growing?: boolean;
    /** Has the last word on what is shown; it must keep it safe. Default: nothing is changed. */
    finish?: (html: string) => string;
  }

  let { text, growing = false, finish = (html) => html }: Props = $props();

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
