<!-- What can be done with a picture that was made. -->
<script lang="ts">
  import { say } from "../words";
  import ArrowRight from "@lucide/svelte/icons/arrow-right";
  import Download from "@lucide/svelte/icons/download";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import Shuffle from "@lucide/svelte/icons/shuffle";
  import Share2 from "@lucide/svelte/icons/share-2";
  import Sparkle from "@lucide/svelte/icons/copy-plus";
  import Trash2 from "@lucide/svelte/icons/trash-2";
  import ThumbsDown from "@lucide/svelte/icons/thumbs-down";
  import ThumbsUp from "@lucide/svelte/icons/thumbs-up";
  import { judge } from "../api/visiting";
  import type { Schemas } from "../pageData";
  import { fileOf, type Picture } from "./pictures.svelte";

  interface Props {
    /** The picture. */
    picture: Picture;
    /** What the desk makes. */
    depicts: Schemas["Depicting"];
    /** Fills the wish in as it was; same says with the same number. */
    again: (same: boolean) => void;
    /** Makes variations of it here. */
    like: () => void;
    /** Goes on with it at another desk. */
    goOn: (slug: string) => void;
    /** Shares it by a link. */
    share: () => void;
    /** Removes it. */
    remove: () => void;
  }

  let { picture, depicts, again, like, goOn, share, remove }: Props = $props();

  let helped = $state<boolean | null>(null);

  /** Says whether the picture is what was wished for; the same answer again takes it back. */
  async function rate(good: boolean) {
    const before = helped;
    helped = before === good ? null : good;
    try {
      await judge(picture.turn!, 1, helped);
    } catch {
      helped = before;
    }
  }
</script>

<div class="flex flex-wrap items-center gap-x-4 gap-y-1 text-sm">
  {#if picture.turn}
    <span class="-ml-2 flex" role="group" aria-label={say.gallery.judge}>
      {#each [true, false] as good (good)}
        {@const Thumb = good ? ThumbsUp : ThumbsDown}
        <button
          class="icon !size-8"
          aria-pressed={helped === good}
          aria-label={good ? say.gallery.good : say.gallery.bad}
          title={good ? say.gallery.good : say.gallery.bad}
          onclick={() => rate(good)}
          ><Thumb
            size={15}
            class={helped === good ? "fill-accent stroke-paper text-accent" : ""}
            aria-hidden="true" /></button>
      {/each}
    </span>
  {/if}
  {#if depicts.seeds && picture.made?.seed !== undefined}
    <button class="tool" onclick={() => again(true)}
      ><RotateCcw size={14} aria-hidden="true" />{say.gallery.againSame}</button>
  {/if}
  <button class="tool" onclick={() => again(false)}
    ><Shuffle size={14} aria-hidden="true" />{say.gallery.another}</button>
  {#if depicts.from === "picture"}
    <button class="tool" onclick={like}
      ><Sparkle size={14} aria-hidden="true" />{say.gallery.moreLike}</button>
  {/if}
  {#each depicts.onward ?? [] as desk (desk.slug)}
    <button class="tool" onclick={() => goOn(desk.slug)}
      ><ArrowRight size={14} aria-hidden="true" />{say.gallery.onward(desk.title)}</button>
  {/each}
  <a class="tool no-underline" href={fileOf(picture.id)} download={picture.name}
    ><Download size={14} aria-hidden="true" />{say.gallery.save}</a>
  <button class="tool" onclick={share}><Share2 size={14} aria-hidden="true" />{say.gallery.share}</button>
  <button class="tool" onclick={remove}><Trash2 size={14} aria-hidden="true" />{say.gallery.remove}</button>
</div>
