<!-- Pictures, large: one after the other, closer, and what they show in words. -->
<script lang="ts">
  import { say } from "../words";
  import ChevronLeft from "@lucide/svelte/icons/chevron-left";
  import ChevronRight from "@lucide/svelte/icons/chevron-right";
  import Download from "@lucide/svelte/icons/download";
  import X from "@lucide/svelte/icons/x";
  import ZoomIn from "@lucide/svelte/icons/zoom-in";
  import ZoomOut from "@lucide/svelte/icons/zoom-out";
  import { Dialog } from "bits-ui";
  import { Trouble } from "../api/service";
  import * as api from "../api/visiting";
  import { untrack, type Snippet } from "svelte";
  import { altOf, fileOf, viewing, type Picture } from "./pictures.svelte";

  interface Props {
    /** What can be done with a picture. Default: nothing more. */
    actions?: Snippet<[Picture]>;
  }

  let { actions }: Props = $props();

  const picture = $derived(viewing.pictures[viewing.at]);
  const many = $derived(viewing.pictures.length > 1);
  let closer = $state(1);
  let left = $state(0);
  let top = $state(0);
  let said = $state("");
  let problem = $state("");
  let kept = $state(false);

  const most = 8;

  $effect(() => {
    if (!picture) return;
    closer = 1;
    left = top = 0;
    said = untrack(() => picture.alt ?? "");
    problem = "";
    kept = false;
  });

  function go(by: number) {
    const n = viewing.pictures.length;
    viewing.at = (viewing.at + by + n) % n;
  }

  function zoom(by: number) {
    closer = Math.min(most, Math.max(1, closer * by));
    if (closer === 1) left = top = 0;
  }

  function keydown(e: KeyboardEvent) {
    if (e.target instanceof HTMLTextAreaElement) return;
    const step = 60;
    const moves: Record<string, () => void> = {
      "+": () => zoom(1.5),
      "=": () => zoom(1.5),
      "-": () => zoom(1 / 1.5),
      "0": () => zoom(0),
      ArrowLeft: () => (closer > 1 ? (left += step) : many && go(-1)),
      ArrowRight: () => (closer > 1 ? (left -= step) : many && go(1)),
      ArrowUp: () => (top += closer > 1 ? step : 0),
      ArrowDown: () => (top -= closer > 1 ? step : 0),
    };
    const move = moves[e.key];
    if (!move || e.ctrlKey || e.metaKey || e.altKey) return;
    e.preventDefault();
    move();
  }

  // Fingers and the mouse: one moves the picture, or leads to the next; two bring it closer.
  // eslint-disable-next-line svelte/prefer-svelte-reactivity
  const down = new Map<number, { x: number; y: number }>();
  let from = { x: 0, y: 0 };

  const apart = () => {
    const [a, b] = [...down.values()];
    return a && b ? Math.hypot(a.x - b.x, a.y - b.y) : 0;
  };

  function pointerdown(e: PointerEvent & { currentTarget: HTMLElement }) {
    e.currentTarget.setPointerCapture(e.pointerId);
    down.set(e.pointerId, { x: e.clientX, y: e.clientY });
    from = { x: e.clientX, y: e.clientY };
  }

  function pointermove(e: PointerEvent) {
    const was = down.get(e.pointerId);
    if (!was) return;
    const before = apart();
    down.set(e.pointerId, { x: e.clientX, y: e.clientY });
    if (down.size === 2) {
      if (before) zoom(apart() / before);
    } else if (closer > 1) {
      left += e.clientX - was.x;
      top += e.clientY - was.y;
    }
  }

  function pointerup(e: PointerEvent) {
    if (down.size === 1 && closer === 1 && many && e.type === "pointerup") {
      const by = e.clientX - from.x;
      if (Math.abs(by) > 50 && Math.abs(by) > Math.abs(e.clientY - from.y)) go(by < 0 ? 1 : -1);
    }
    down.delete(e.pointerId);
  }

  async function describe(e: SubmitEvent) {
    e.preventDefault();
    problem = "";
    try {
      await api.describePicture(picture!.id, said);
      picture!.alt = said;
      kept = true;
    } catch (error) {
      problem = error instanceof Trouble ? error.detail : say.general.onTheWay;
    }
  }
</script>

<Dialog.Root bind:open={() => !!picture, (open) => open || (viewing.pictures = [])}>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/70" />
    <Dialog.Content
      class="fixed inset-0 z-40 flex flex-col bg-paper focus-visible:outline-none sm:inset-4 sm:rounded-md"
      onkeydown={keydown}>
      {#if picture}
        <div class="flex items-center gap-1 border-b border-rule py-1.5 pr-2 pl-4">
          <Dialog.Title class="min-w-0 flex-1 truncate text-sm font-semibold">{picture.name}</Dialog.Title>
          <span class="hidden px-2 text-fine text-faded sm:inline"
            >{say.pictures.size(picture.width, picture.height)}</span>
          <button
            class="icon"
            aria-label={say.pictures.further}
            title={say.pictures.further}
            onclick={() => zoom(1 / 1.5)}><ZoomOut size={18} aria-hidden="true" /></button>
          <button
            class="icon"
            aria-label={say.pictures.closer}
            title={say.pictures.closer}
            onclick={() => zoom(1.5)}><ZoomIn size={18} aria-hidden="true" /></button>
          <a
            class="icon"
            href={fileOf(picture.id)}
            download={picture.name}
            aria-label={say.pictures.download}
            title={say.pictures.download}><Download size={18} aria-hidden="true" /></a>
          <Dialog.Close class="icon" aria-label={say.general.close}
            ><X size={18} aria-hidden="true" /></Dialog.Close>
        </div>
        <div
          class="relative min-h-0 flex-1 touch-none overflow-hidden bg-leaf"
          role="presentation"
          onpointerdown={pointerdown}
          onpointermove={pointermove}
          onpointerup={pointerup}
          onpointercancel={pointerup}
          ondblclick={() => zoom(closer > 1 ? 0 : 2.5)}
          onwheel={(e) => (e.preventDefault(), zoom(e.deltaY < 0 ? 1.2 : 1 / 1.2))}>
          <img
            class="absolute inset-0 size-full object-contain select-none"
            style="transform: translate({left}px, {top}px) scale({closer})"
            draggable="false"
            src={fileOf(picture.id)}
            alt={altOf(picture)} />
        </div>
        {#if many}
          <div class="flex items-center justify-center gap-3 border-t border-rule py-1 text-sm">
            <button class="icon" aria-label={say.pictures.before} onclick={() => go(-1)}
              ><ChevronLeft size={18} aria-hidden="true" /></button>
            <span aria-live="polite">{say.pictures.counted(viewing.at + 1, viewing.pictures.length)}</span>
            <button class="icon" aria-label={say.pictures.next} onclick={() => go(1)}
              ><ChevronRight size={18} aria-hidden="true" /></button>
          </div>
        {/if}
        {#if picture.made}
          <div class="border-t border-rule px-4 py-3">
            <p class="max-h-24 overflow-y-auto font-serif break-words whitespace-pre-wrap">
              {picture.made.words || say.gallery.variations}
            </p>
            <p class="mt-1 text-fine text-faded">{say.gallery.how(picture)}</p>
            {#if actions}<div class="mt-2">{@render actions(picture)}</div>{/if}
          </div>
        {:else if viewing.own}
          <form class="border-t border-rule px-4 py-3" onsubmit={describe}>
            <label class="text-fine text-faded" for="picture-said">{say.pictures.said}</label>
            <div class="mt-1 flex items-end gap-2">
              <textarea
                id="picture-said"
                class="field field-sizing-content max-h-28 min-w-0 flex-1 resize-none font-serif"
                rows="1"
                maxlength="1000"
                bind:value={said}
                oninput={() => (kept = false)}></textarea>
              <button class="button-plain shrink-0" type="submit" disabled={said === (picture.alt ?? "")}
                >{say.pictures.keep}</button>
            </div>
            <p class="mt-1 min-h-5 text-fine text-faded" role="status">
              {problem || (kept ? say.pictures.keptSaid : "")}
            </p>
          </form>
        {:else if picture.alt}
          <p class="border-t border-rule px-4 py-3 text-note">{picture.alt}</p>
        {/if}
      {/if}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
