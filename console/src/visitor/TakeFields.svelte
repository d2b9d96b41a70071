<script lang="ts">
  import type { Schemas } from "../given";

  let { takes, values = $bindable() }: { takes: Schemas["Take"][]; values: Record<string, string> } = $props();

  const kinds: Record<string, string> = { number: "number", address: "url" };
</script>

<div class="mb-2 flex flex-wrap items-end gap-x-5 gap-y-2">
  {#each takes as take (take.name)}
    <label class="text-[0.82rem] text-faded">
      {take.title}{take.need ? " (needed)" : ""}
      {#if take.type === "choice"}
        <select class="field mt-1 !min-h-9 text-ink" bind:value={values[take.name]}>
          {#if !take.need}<option value="">as usual</option>{/if}
          {#each take.choices ?? [] as choice (choice)}<option value={choice}>{choice}</option>{/each}
        </select>
      {:else if take.type === "truth"}
        <select class="field mt-1 !min-h-9 text-ink" bind:value={values[take.name]}>
          <option value="">as usual</option><option value="true">yes</option><option value="false">no</option>
        </select>
      {:else}
        <input class="field mt-1 !min-h-9 text-ink" type={kinds[take.type] ?? "text"} step="any" bind:value={values[take.name]} />
      {/if}
    </label>
  {/each}
</div>
