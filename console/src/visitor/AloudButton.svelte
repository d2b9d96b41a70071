<!-- Reads a reply aloud. -->
<script lang="ts">
  import { say } from "../words";
  import Pause from "@lucide/svelte/icons/pause";
  import Play from "@lucide/svelte/icons/play";
  import Square from "@lucide/svelte/icons/square";
  import Volume2 from "@lucide/svelte/icons/volume-2";
  import { onDestroy } from "svelte";
  import { aloud } from "./aloud.svelte";
  import type { Turn } from "./turn.svelte";

  interface Props {
    /** The turn. */
    turn: Turn;
    /** Where its reply stands. */
    root: () => HTMLElement | undefined;
    /** How many characters are read at once. */
    most: number;
  }

  let { turn, root, most }: Props = $props();

  const mine = $derived(aloud.turn === turn.id && aloud.state !== "off");
  const speeds = [0.75, 1, 1.25, 1.5, 2];
  onDestroy(() => mine && aloud.stop());
</script>

{#if mine}
  <span class="inline-flex flex-wrap items-center gap-x-2" role="group" aria-label={say.aloud.begin}>
    {#if aloud.state === "waiting"}
      <span role="status">{say.aloud.beginning}</span>
    {:else if aloud.state === "paused"}
      <button class="inline-flex min-h-8 items-center gap-1.5 hover:text-accent" onclick={() => aloud.goOn()}
        ><Play size={14} aria-hidden="true" /> {say.aloud.goOn}</button>
    {:else}
      <button class="inline-flex min-h-8 items-center gap-1.5 hover:text-accent" onclick={() => aloud.pause()}
        ><Pause size={14} aria-hidden="true" /> {say.aloud.pause}</button>
    {/if}
    <button class="inline-flex min-h-8 items-center gap-1.5 hover:text-accent" onclick={() => aloud.stop()}
      ><Square size={12} aria-hidden="true" /> {say.aloud.stop}</button>
    <label class="inline-flex items-center gap-1"
      >{say.aloud.speed}
      <select
        class="field !min-h-7 !w-auto !py-0"
        value={aloud.speed}
        onchange={(e) => aloud.setSpeed(Number(e.currentTarget.value))}>
        {#each speeds as s (s)}<option value={s}>{say.sound.times(s)}</option>{/each}
      </select>
    </label>
  </span>
{:else}
  <button
    class="inline-flex min-h-8 items-center gap-1.5 hover:text-accent"
    onclick={() => void aloud.read(turn, root, most)}
    ><Volume2 size={14} aria-hidden="true" /> {say.aloud.begin}</button>
{/if}
{#if aloud.problem && !mine && aloud.state === "off"}<span class="text-wrong" role="alert"
    >{aloud.problem}</span
  >{/if}
