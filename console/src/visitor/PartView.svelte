<!-- Something that a recipe gives beside the reply. -->
<script lang="ts">
  import { fromService } from "../words";
  import type { Schemas } from "../pageData";
  import Markdown from "../markdown/Markdown.svelte";

  interface Props {
    /** The part. */
    part: Schemas["Part"];
  }

  let { part }: Props = $props();

  const text = $derived(
    typeof part.value === "string"
      ? part.value
      : Array.isArray(part.value) && part.value.every((v) => typeof v === "string")
        ? part.value.map((v) => `- ${v}`).join("\n")
        : "```json\n" + JSON.stringify(part.value, null, 2) + "\n```",
  );
</script>

<details class="mt-4 border-t border-rule pt-2">
  <summary class="min-h-7 cursor-pointer text-note font-semibold"
    >{fromService({ form: part.title }, part.title)}</summary>
  <div class="mt-2"><Markdown {text} /></div>
</details>
