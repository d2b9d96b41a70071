<!-- What a picture is to show, or what is to become of one. -->
<script lang="ts">
  import { say } from "../words";
  import Brush from "@lucide/svelte/icons/brush";
  import Camera from "@lucide/svelte/icons/camera";
  import ImagePlus from "@lucide/svelte/icons/image-plus";
  import X from "@lucide/svelte/icons/x";
  import { sentPicture } from "../api/visiting";
  import type { Schemas } from "../pageData";
  import Progress from "../ui/Progress.svelte";
  import BrushEditor from "./BrushEditor.svelte";
  import CameraDialog from "./Camera.svelte";
  import type { Gallery, Wish } from "./gallery.svelte";
  import { altOf, pictured } from "./pictures.svelte";

  interface Props {
    /** The gallery that it wishes for. */
    gallery: Gallery;
    /** What the desk makes. */
    depicts: Schemas["Depicting"];
    /** The wish, which others may fill in. */
    wish: Wish;
  }

  let { gallery, depicts, wish = $bindable() }: Props = $props();

  const fromPicture = $derived(depicts.from === "picture");
  const picture = $derived(gallery.given.list.at(-1));
  const needed = $derived(
    fromPicture ? (picture ? "" : say.gallery.needsPicture) : wish.words.trim() ? "" : say.gallery.needsWords,
  );
  const formats = ["square", "lying", "upright"] as const;
  let field: HTMLTextAreaElement;
  let picker: HTMLInputElement | undefined = $state();
  let painting = $state(false);
  let photographing = $state(false);
  let tried = $state(false);

  /** Puts the cursor into the field. */
  export function focus() {
    field.focus();
  }

  function give(files: File[]) {
    const { pictures } = pictured(files);
    wish.mask = "";
    void gallery.given.add(pictures.slice(-1).map((file) => ({ name: file.name, file })));
  }

  function dropped(e: DragEvent) {
    if (!fromPicture || !e.dataTransfer?.files.length) return;
    e.preventDefault();
    give([...e.dataTransfer.files]);
  }

  function pasted(e: ClipboardEvent) {
    const files = [...(e.clipboardData?.files ?? [])];
    if (!fromPicture || !files.length) return;
    e.preventDefault();
    give(files);
  }

  async function make(e: SubmitEvent) {
    e.preventDefault();
    tried = true;
    if (needed || gallery.running) return field.focus();
    tried = false;
    await gallery.make({ ...wish, words: wish.words.trim() });
  }

  function photograph() {
    photographing = true;
  }
</script>

<svelte:window onpaste={pasted} />

<form
  class="rounded-md border border-field bg-paper p-3 sm:p-4"
  onsubmit={make}
  ondragover={(e) => fromPicture && e.preventDefault()}
  ondrop={dropped}>
  {#if fromPicture}
    <div class="mb-3 flex flex-wrap items-start gap-4">
      {#if picture}
        <div class="relative">
          <img
            class="max-h-56 max-w-full rounded border border-rule bg-leaf"
            src={sentPicture(picture.id)}
            alt={altOf(picture)} />
          <button
            type="button"
            class={[
              "absolute -top-2 -right-2 grid size-7 place-items-center rounded-full border border-rule",
              "bg-paper hover:border-accent hover:text-accent",
            ]}
            aria-label={say.pictures.putAwayNamed(picture.name)}
            onclick={() => ((wish.mask = ""), gallery.given.putAway(picture.id))}
            ><X size={14} aria-hidden="true" /></button>
        </div>
        <div class="min-w-48 flex-1 text-fine text-faded">
          <p>
            {depicts.square && picture.width !== picture.height
              ? say.gallery.madeSquare(depicts.square)
              : say.gallery.sentSo}
          </p>
          <button
            type="button"
            class="button-plain mt-2 inline-flex items-center gap-2"
            onclick={() => (painting = true)}>
            <Brush size={15} aria-hidden="true" />{wish.mask ? say.gallery.paintAgain : say.gallery.paint}
          </button>
          {#if wish.mask}
            <p class="mt-2 text-ink">{say.gallery.painted}</p>
            <button
              type="button"
              class="mt-1 min-h-7 text-accent hover:underline"
              onclick={() => (wish.mask = "")}>{say.gallery.unpaint}</button>
          {/if}
        </div>
      {:else}
        <div
          class="grid w-full place-items-center gap-3 rounded border border-dashed border-field px-4 py-8 text-center">
          <p class="text-note text-faded">{say.gallery.dropHere}</p>
          <div class="flex flex-wrap justify-center gap-2">
            <button
              type="button"
              class="button-plain inline-flex items-center gap-2"
              onclick={() => picker?.click()}>
              <ImagePlus size={16} aria-hidden="true" />{say.gallery.choose}</button>
            <button type="button" class="button-plain inline-flex items-center gap-2" onclick={photograph}>
              <Camera size={16} aria-hidden="true" />{say.pictures.take}</button>
          </div>
        </div>
      {/if}
      <input
        bind:this={picker}
        class="hidden"
        type="file"
        accept="image/*,.heic,.heif"
        aria-label={say.gallery.choose}
        onchange={(e) => (give([...(e.currentTarget.files ?? [])]), (e.currentTarget.value = ""))} />
    </div>
    {#if gallery.given.sent !== null}
      <p class="mb-2 flex items-center gap-3 text-fine text-faded">
        <Progress class="w-40" value={gallery.given.sent} label={say.pictures.sending} />{say.pictures
          .looking}
      </p>
    {/if}
    {#if gallery.given.problem}<p class="mb-2 text-fine text-wrong" role="alert">
        {gallery.given.problem}
      </p>{/if}
  {/if}

  <label class="text-fine text-faded" for="wish"
    >{fromPicture ? say.gallery.change : say.gallery.words}</label>
  <textarea
    id="wish"
    bind:this={field}
    bind:value={wish.words}
    rows="2"
    maxlength="4000"
    class="field mt-1 field-sizing-content max-h-60 w-full resize-none font-serif !text-text"
    placeholder={fromPicture ? say.gallery.changeHint : ""}
    onkeydown={(e) =>
      e.key === "Enter" &&
      !e.shiftKey &&
      !e.isComposing &&
      (e.preventDefault(), e.currentTarget.form?.requestSubmit())}></textarea>

  <div class="mt-3 flex flex-wrap items-end gap-x-6 gap-y-3">
    <label class="text-fine text-faded">
      {say.gallery.number}
      <select class="field mt-1 !min-h-9 text-ink" bind:value={wish.number}>
        {#each { length: depicts.most } as _, i (i)}<option value={i + 1}>{i + 1}</option>{/each}
      </select>
    </label>
    {#if !fromPicture}
      <fieldset class="text-fine text-faded">
        <legend>{say.gallery.format}</legend>
        <div class="mt-1 flex gap-1.5">
          {#each formats as f (f)}
            <label
              class={[
                "flex min-h-9 cursor-pointer items-center gap-1.5 rounded border px-2.5 text-sm",
                "has-focus-visible:outline-2 has-focus-visible:outline-accent",
                wish.format === f
                  ? "border-accent bg-accent text-on-accent"
                  : "border-rule text-ink hover:bg-leaf",
              ]}>
              <input class="sr-only" type="radio" name="format" value={f} bind:group={wish.format} />
              <span
                class={[
                  "inline-block border border-current",
                  { square: "size-3", lying: "h-2.5 w-4", upright: "h-4 w-2.5" }[f],
                ]}
                aria-hidden="true"></span
              >{say.gallery.formats[f]}
            </label>
          {/each}
        </div>
      </fieldset>
    {/if}
    {#if depicts.seeds}
      <label class="text-fine text-faded" title={say.gallery.seedAbout}>
        {say.gallery.seed}
        <input
          class="field mt-1 !min-h-9 w-32 text-ink"
          type="number"
          min="0"
          max="2147483647"
          placeholder={say.gallery.anySeed}
          value={wish.seed}
          oninput={(e) => (wish.seed = e.currentTarget.value)} />
      </label>
    {/if}
    <div class="ml-auto flex items-center gap-3">
      {#if depicts.price}
        <p class="text-right text-fine text-faded">{say.gallery.price(depicts.price, wish.number)}</p>
      {/if}
      <button class="button-main" type="submit" aria-disabled={!!needed || gallery.running}>
        {fromPicture && !wish.words.trim() ? say.gallery.vary(wish.number) : say.gallery.make(wish.number)}
      </button>
    </div>
  </div>
  {#if tried && needed}<p class="mt-2 text-fine text-wrong" role="alert">{needed}</p>{/if}
</form>

{#if painting && picture}
  <BrushEditor
    bind:open={painting}
    src={sentPicture(picture.id)}
    conversation={gallery.begun.id}
    painted={(id) => ((wish.mask = id), field.focus())} />
{/if}
{#if photographing}
  <CameraDialog bind:open={photographing} take={(file) => give([file])} />
{/if}
