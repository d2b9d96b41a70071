<!-- What a desk can do, in words. -->
<script lang="ts">
  import { say } from "../words";
  import Dialog from "../ui/Dialog.svelte";
  import type { Schemas } from "../pageData";
  import { offersBringing } from "./conversation.svelte";

  interface Props {
    /** The desk. */
    desk: Schemas["Face"];
    /** Whether it is shown. */
    open: boolean;
  }

  let { desk, open = $bindable() }: Props = $props();

  const memory = $derived(
    desk.turns ? say.desk.remembersTurns(desk.turns, desk.summary) : say.desk.remembersNothing,
  );
  const offered = $derived({
    model: desk.choices.models.length > 1,
    manner: desk.choices.manner,
    length: desk.choices.length,
    language: desk.choices.languages.length > 0,
  });
  const may = $derived((Object.keys(offered) as (keyof typeof offered)[]).filter((k) => offered[k]));
</script>

{#snippet list(title: string, items: string[])}
  {#if items.length}
    <h3 class="mt-5 text-sm font-semibold">{title}</h3>
    <ul class="mt-1 list-disc space-y-1 pl-5 font-serif leading-relaxed marker:text-accent">
      {#each items as item (item)}<li>{item}</li>{/each}
    </ul>
  {/if}
{/snippet}

<Dialog bind:open title={say.desk.canDo} width="34rem" cross={say.general.close}>
  <p class="mt-3 font-serif leading-relaxed">{desk.purpose}</p>
  {@render list(say.desk.goodFor, desk.good_for)}
  {@render list(say.desk.notFor, desk.not_for)}
  {@render list(say.desk.knows, desk.known)}
  {@render list(say.desk.remembers, [memory])}
  {#if desk.attachments}{@render list(say.desk.attachments, [say.desk.attachmentsAbout])}{/if}
  {#if desk.pictures.take}{@render list(say.desk.pictures, [
      say.desk.picturesAbout(desk.pictures.most ?? 1, desk.pictures.turns ?? 1, desk.pictures.hours ?? 1),
      say.desk.picturesStripped,
    ])}{/if}
  {#if desk.sound.take}{@render list(say.desk.sound, [
      say.sound.kinds(desk.sound.minutes ?? 0),
      say.sound.kept(desk.sound.keep ?? "", desk.sound.days ?? 0),
      say.desk.soundOwn,
    ])}{/if}
  {#if offersBringing(desk)}{@render list(say.desk.bringing, [
      say.desk.bringingAbout(
        desk.bring.sources.map((s) => s.title),
        desk.bring.addresses,
        desk.bring.documents,
      ),
    ])}{/if}
  {#if may.length}{@render list(say.desk.mayChange, [say.desk.mayChoose(may)])}{/if}
  <p class="mt-5 text-sm text-faded">
    {say.desk.machine}
  </p>
</Dialog>
