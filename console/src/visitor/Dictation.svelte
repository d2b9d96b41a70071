<!-- A question that is spoken: its words are put into the box, to be corrected and asked. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import X from "@lucide/svelte/icons/x";
  import { onMount } from "svelte";
  import { Trouble } from "../api/service";
  import { dictation } from "../api/speaking";
  import { upload } from "../api/upload";
  import type { Schemas } from "../pageData";
  import Level from "./Level.svelte";
  import { Microphone } from "./microphone.svelte";
  import { clock } from "./recordings.svelte";

  interface Props {
    /** Takes the words. */
    take: (text: string) => void;
    /** Closes it. */
    close: () => void;
  }

  let { take, close }: Props = $props();

  const microphone = new Microphone();
  let hearing = $state(false);
  let problem = $state("");
  /** The longest question, in seconds. */
  const longest = 120;

  onMount(() => {
    void microphone.start();
    return () => microphone.end();
  });

  $effect(() => {
    if (microphone.seconds > longest) void end();
  });

  async function end() {
    const file = await microphone.stop("question");
    if (!file) return close();
    hearing = true;
    problem = "";
    try {
      const said = await upload<Schemas["Dictated"]>(dictation, [{ name: file.name, file }], () => {});
      if (said.text.trim()) return take(said.text.trim());
      problem = said.problem?.form
        ? say.sound.notHeard(fromService(said.problem, ""))
        : say.sound.nothingHeard;
    } catch (e) {
      problem = e instanceof Trouble && e.code !== "offline" ? e.detail : say.sound.notSent;
    }
    hearing = false;
  }

  function keydown(e: KeyboardEvent) {
    if (e.key !== "Escape") return;
    e.stopPropagation();
    close();
  }
</script>

<!-- svelte-ignore a11y_no_static_element_interactions -->
<div
  class="mb-2 flex flex-wrap items-center gap-x-4 gap-y-2 rounded-md border border-rule bg-leaf px-3 py-2 text-fine"
  onkeydown={keydown}>
  {#if microphone.problem || problem}
    <p class="min-w-0 flex-1 text-wrong" role="alert">{microphone.problem || problem}</p>
    <button type="button" class="button-plain" onclick={() => ((problem = ""), microphone.start())}
      >{say.sound.tryAgain}</button>
  {:else if hearing}
    <p class="flex-1" role="status">{say.sound.hearing}</p>
  {:else}
    <Level {microphone} />
    <span class="tabular-nums" role="timer">{clock(microphone.seconds)}</span>
    <p class="min-w-0 flex-1 max-sm:order-first max-sm:basis-full" role="status">
      {microphone.state === "asking" ? say.sound.allow : say.sound.speakNow}
    </p>
    <button
      type="button"
      class="button-main max-sm:ml-auto"
      disabled={microphone.state !== "on"}
      onclick={end}>{say.sound.doneSpeaking}</button>
  {/if}
  <button type="button" class="icon" aria-label={say.sound.cancelSpeaking} onclick={close}
    ><X size={16} aria-hidden="true" /></button>
</div>
