<!-- The pictures that questions are about, above the question box. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import X from "@lucide/svelte/icons/x";
  import Progress from "../ui/Progress.svelte";
  import type { Schemas } from "../pageData";
  import { altOf, fileOf, view, type Pictures } from "./pictures.svelte";

  interface Props {
    /** The pictures. */
    pictures: Pictures;
    /** What the desk says of pictures. */
    looking: Schemas["Looking"];
  }

  let { pictures, looking }: Props = $props();

  const notes = $derived(
    pictures.list.filter((p) => p.note?.form).map((p) => `${p.name}: ${fromService(p.note, "")}.`),
  );
  const costs = $derived(pictures.list.reduce((sum, p) => sum + (p.tokens ?? 0), 0));
  const cost = $derived(pictures.list.reduce((sum, p) => sum + (p.cost ?? 0), 0));
</script>

{#if pictures.list.length || pictures.sent !== null || pictures.problem}
  <div class="mb-2 text-fine">
    {#if pictures.list.length}
      <div class="flex items-end gap-3">
        <ul class="flex flex-wrap gap-2" aria-label={say.pictures.all}>
          {#each pictures.list as p, i (p.id)}
            <li class="relative">
              <button
                type="button"
                class="block size-16 overflow-hidden rounded border border-rule bg-leaf hover:border-accent"
                aria-label={say.pictures.large(altOf(p))}
                onclick={() => view(pictures.list, i, true)}
                ><img class="size-full object-cover" src={fileOf(p.id, true)} alt="" /></button>
              <button
                type="button"
                class={[
                  "absolute -top-2 -right-2 grid size-6 place-items-center rounded-full border border-rule",
                  "bg-paper text-ink hover:border-accent hover:text-accent",
                ]}
                aria-label={say.pictures.putAwayNamed(p.name)}
                title={say.pictures.putAway}
                onclick={() => pictures.putAway(p.id)}><X size={13} aria-hidden="true" /></button>
            </li>
          {/each}
        </ul>
        <p class="min-w-0 text-faded">
          {say.pictures.about(pictures.list.length, looking.turns ?? 0)}
          {#if costs}<span class="block">{say.pictures.takes(costs, cost)}</span>{/if}
        </p>
      </div>
    {/if}
    {#if pictures.sent !== null}
      <p class="mt-1 flex items-center gap-3 text-faded">
        <Progress class="w-40" value={pictures.sent} label={say.pictures.sending} />
        {pictures.sent < 1 ? say.attachments.sent(pictures.sent) : say.pictures.looking}
      </p>
    {/if}
    {#each notes as note (note)}<p class="mt-1 text-faded">{note}</p>{/each}
    {#if pictures.told}<p class="mt-1 text-faded" role="status">{pictures.told}</p>{/if}
    {#if pictures.problem}<p class="mt-1 text-wrong" role="alert">{pictures.problem}</p>{/if}
  </div>
{/if}
<p class="sr-only" role="status">
  {pictures.sent !== null
    ? say.pictures.spokenSending
    : pictures.list.length
      ? say.pictures.spokenThere(pictures.list.length)
      : ""}
</p>
