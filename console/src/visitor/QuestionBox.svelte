<!-- Where a visitor writes. -->
<script lang="ts">
  import { say } from "../words";
  import ArrowUp from "@lucide/svelte/icons/arrow-up";
  import ImagePlus from "@lucide/svelte/icons/image-plus";
  import BookOpen from "@lucide/svelte/icons/book-open";
  import Mic from "@lucide/svelte/icons/mic";
  import Paperclip from "@lucide/svelte/icons/paperclip";
  import Square from "@lucide/svelte/icons/square";
  import { onMount, type Snippet } from "svelte";
  import { pageData } from "../pageData";
  import { pictured } from "./pictures.svelte";
  import { sounding } from "./sounding";

  interface Props {
    /** Called with files to attach. Default: there is no clip. */
    attach?: (files: File[]) => void;
    /** Called with pictures to ask about. Default: there is no way to give any. */
    look?: (pictures: File[]) => void;
    /** Called when a picture comes where none can be given. */
    blind: () => void;
    /** Called with recordings. Default: none can be given. */
    hear?: (recordings: File[]) => void;
    /** Whether questions can be spoken. Default: false. */
    dictate?: boolean;
    /** Opens where a visitor says what is to be read. Default: there is no book. */
    bring?: () => void;
    /** Whether that is open. Default: false. */
    bringing?: boolean;
    /** Whether a reply is on its way. */
    running: boolean;
    /** The last question; "": there is none. */
    last: string;
    /** Asks it. */
    ask: (question: string) => void;
    /** Stops the reply. */
    stop: () => void;
    /** The title of the desk. */
    deskTitle: string;
    /** What stands below it, to the right. Default: nothing. */
    children?: Snippet;
  }

  let {
    running,
    last,
    ask,
    stop,
    deskTitle,
    attach,
    look,
    hear,
    dictate = false,
    blind,
    bring,
    bringing = false,
    children,
  }: Props = $props();

  // A draft survives a reload; every tab has its own.
  const draft = `juvalogos-draft:${pageData.slug}`;
  let text = $state(sessionStorage.getItem(draft) ?? "");
  let area: HTMLTextAreaElement;

  $effect(() => {
    if (text) sessionStorage.setItem(draft, text);
    else sessionStorage.removeItem(draft);
  });

  onMount(() => {
    if (!pageData.preview && document.activeElement?.tagName !== "INPUT") focus(); // a maker types beside a preview
  });

  /** Puts the cursor into the box; not on a phone, whose keyboard would cover half of the page. */
  export function focus() {
    if (!matchMedia("(pointer: coarse)").matches) area.focus();
  }

  /** What stands in the box. */
  export const drafted = () => text;

  /** Puts back a question that did not arrive, unless another was begun. */
  export function giveBack(question: string) {
    if (!text.trim()) text = question;
    area.focus();
  }

  function send() {
    const question = text.trim();
    if (!question || running) return;
    text = pasted = "";
    ask(question);
  }

  let picker: HTMLInputElement = $state()!;

  function picked() {
    attach?.([...(picker.files ?? [])]);
    picker.value = "";
    focus();
  }

  // The ways to give a picture come when they are asked for.
  let pictures: HTMLInputElement = $state()!;
  let camera: HTMLInputElement = $state()!;
  let ways = $state(false);
  let photographing = $state(false);
  const later = () => import("./later");

  function chosen(field: HTMLInputElement) {
    look?.([...(field.files ?? [])]);
    field.value = "";
    focus();
  }

  /** Takes a photograph: a phone has an app for that. */
  function photograph() {
    if (matchMedia("(pointer: coarse)").matches) camera.click();
    else photographing = true;
  }

  /** Takes what was pasted or dropped; false if there is nothing to take. */
  function brought(files: File[]): boolean {
    const { sounds, others: silent } = hear ? sounding(files) : { sounds: [], others: files };
    if (sounds.length) hear?.(sounds);
    const { pictures, others } = pictured(silent);
    if (pictures.length && look) look(pictures);
    else if (pictures.length && attach) attach(pictures);
    else if (pictures.length) blind();
    if (others.length) attach?.(others);
    return sounds.length > 0 || pictures.length > 0 || (others.length > 0 && !!attach);
  }

  // A question that is spoken is put behind what stands in the box.
  let speaking = $state(false);

  function spoken(said: string) {
    speaking = false;
    text = text.trim() ? `${text.trimEnd()} ${said}` : said;
    area.focus();
  }

  // What was pasted and is long enough to be a document.
  const long = 2000;
  const longest = 500_000;
  let pasted = $state("");
  let documents = 0;

  function paste(e: ClipboardEvent) {
    const said = e.clipboardData?.getData("text/plain") ?? "";
    if (!said && brought([...(e.clipboardData?.files ?? [])])) return e.preventDefault();
    if (!attach || said.length < long) return;
    pasted = said.replace(/\r\n?/g, "\n");
    if (text.length + pasted.length > longest) e.preventDefault(); // the box would cut it
  }

  /** Attaches what was pasted, under its first words. */
  function attachPasted() {
    const [first = ""] = pasted.trim().split("\n");
    const name = first
      .replace(/[^\p{L}\p{N} ,.-]/gu, " ")
      .split(/\s+/)
      .slice(0, 8)
      .join(" ")
      .slice(0, 60)
      .trim();
    documents++;
    attach?.([
      new File([pasted], `${name || say.question.pastedName}${documents > 1 ? ` ${documents}` : ""}.txt`, {
        type: "text/plain",
      }),
    ]);
    text = text.replace(pasted, "").trimEnd();
    pasted = "";
    focus();
  }

  function keepPasted() {
    pasted = "";
    focus();
  }

  function dropped(e: DragEvent) {
    if (!e.dataTransfer?.files.length) return;
    if (brought([...e.dataTransfer.files])) e.preventDefault();
  }

  let swallow = false; // the line break of the Enter that asked

  function keydown(e: KeyboardEvent) {
    if (e.key === "ArrowUp" && !text && last) {
      e.preventDefault();
      text = last;
      return;
    }
    swallow = e.key === "Enter" && !e.shiftKey && !e.isComposing;
    if (!swallow) return;
    e.preventDefault();
    send();
  }

  function beforeinput(e: InputEvent) {
    if (swallow && e.inputType === "insertLineBreak") e.preventDefault();
    swallow = false;
  }
</script>

{#if pasted && attach}
  <div class="mb-2 rounded-md border border-rule bg-leaf px-3 py-2 text-fine" role="status">
    <p>{say.question.pasted(pasted.split(/\s+/).length)}</p>
    <div class="mt-1.5 flex flex-wrap gap-2">
      <button type="button" class="button-main" onclick={attachPasted}>{say.question.pastedAttach}</button>
      <button type="button" class="button-plain" onclick={keepPasted}>{say.question.pastedKeep}</button>
    </div>
  </div>
{/if}
{#if speaking}
  {#await later() then { Dictation }}
    <Dictation take={spoken} close={() => ((speaking = false), focus())} />
  {/await}
{/if}
<form
  class="flex items-end gap-2 rounded-md border border-field bg-paper py-1.5 pr-1.5 {attach || bring || look
    ? 'pl-1.5'
    : 'pl-4'} focus-within:border-accent focus-within:ring-1 focus-within:ring-accent"
  onsubmit={(e) => (e.preventDefault(), send())}
  ondragover={(e) => e.dataTransfer?.types.includes("Files") && e.preventDefault()}
  ondrop={dropped}>
  {#if attach}
    <button
      type="button"
      class="icon shrink-0"
      aria-label={say.question.attach}
      title={say.question.attach}
      onclick={() => picker.click()}><Paperclip size={17} aria-hidden="true" /></button>
    <input
      bind:this={picker}
      type="file"
      multiple
      class="hidden"
      aria-label={say.question.attachFiles}
      onchange={picked} />
  {/if}
  {#if look}
    {#snippet button()}
      <button
        type="button"
        class="icon shrink-0"
        aria-label={say.pictures.give}
        title={say.pictures.give}
        aria-haspopup="menu"
        onclick={() => (ways = true)}><ImagePlus size={17} aria-hidden="true" /></button>
    {/snippet}
    <div class={["shrink-0", attach && "-ml-2"]}>
      {#if ways}
        {#await later()}{@render button()}{:then { PictureMenu }}
          <PictureMenu choose={() => pictures.click()} {photograph} />
        {/await}
      {:else}
        {@render button()}
      {/if}
    </div>
    <input
      bind:this={pictures}
      type="file"
      accept="image/*,.heic,.heif"
      multiple
      class="hidden"
      aria-label={say.pictures.files}
      onchange={(e) => chosen(e.currentTarget)} />
    <input
      bind:this={camera}
      type="file"
      accept="image/*"
      capture="environment"
      class="hidden"
      aria-label={say.pictures.take}
      onchange={(e) => chosen(e.currentTarget)} />
  {/if}
  {#if bring}
    <button
      type="button"
      class={["icon shrink-0", (attach || look) && "-ml-2"]}
      aria-label={say.bring.open}
      title={say.bring.open}
      aria-expanded={bringing}
      onclick={bring}><BookOpen size={17} aria-hidden="true" /></button>
  {/if}
  <textarea
    bind:this={area}
    bind:value={text}
    onkeydown={keydown}
    onpaste={paste}
    onbeforeinput={beforeinput}
    rows="1"
    maxlength="500000"
    class={[
      "field-sizing-content max-h-[38dvh] min-h-9 flex-1 resize-none bg-transparent py-1.5",
      "font-serif text-text leading-normal outline-none placeholder:text-faded",
    ]}
    placeholder={say.question.box}
    aria-label={say.question.boxTo(deskTitle)}
    enterkeyhint="send"></textarea>
  {#if dictate}
    <button
      type="button"
      class="icon shrink-0"
      aria-label={say.sound.speakQuestion}
      title={say.sound.speakQuestion}
      aria-expanded={speaking}
      onclick={() => (speaking = !speaking)}><Mic size={17} aria-hidden="true" /></button>
  {/if}
  {#if running}
    <button
      type="button"
      class="flex h-9 shrink-0 items-center gap-2 rounded bg-accent px-3.5 text-sm font-semibold text-on-accent"
      onclick={stop}>
      <Square size={12} fill="currentColor" aria-hidden="true" />
      {say.question.stop}
    </button>
  {:else}
    <button
      type="submit"
      class={[
        "flex h-9 shrink-0 items-center gap-1.5 rounded px-3.5 text-sm font-semibold",
        text.trim() ? "bg-accent text-on-accent" : "bg-leaf text-faded",
      ]}
      aria-disabled={!text.trim()}>
      <ArrowUp size={15} aria-hidden="true" />
      {say.question.ask}
    </button>
  {/if}
</form>
{#if photographing && look}
  {#await later() then { Camera }}
    <Camera bind:open={photographing} take={(file) => (look([file]), focus())} />
  {/await}
{/if}
<div class="mt-1 flex min-h-7 items-center justify-between gap-4 text-mini text-faded">
  <p class="pointer-coarse:hidden">
    {#if running}<kbd>{say.question.escape}</kbd> {say.question.stops}{:else}<kbd>{say.question.enter}</kbd>
      {say.question.asks} <kbd>{say.question.shift}</kbd>+<kbd>{say.question.enter}</kbd>
      {say.question.newLine}{#if last}<span class="hidden sm:inline">, <kbd>↑</kbd> {say.question.back}</span
        >{/if}.{/if}
  </p>
  <div class="min-w-0">{@render children?.()}</div>
</div>
