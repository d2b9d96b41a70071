<!-- A recording, made in the page: it is listened to before it is sent. -->
<script lang="ts">
  import { say } from "../words";
  import Mic from "@lucide/svelte/icons/mic";
  import Pause from "@lucide/svelte/icons/pause";
  import Square from "@lucide/svelte/icons/square";
  import { onDestroy } from "svelte";
  import Dialog from "../ui/Dialog.svelte";
  import Level from "./Level.svelte";
  import { Microphone } from "./microphone.svelte";
  import { clock } from "./recordings.svelte";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** Takes the recording. */
    take: (file: File) => void;
    /** How long it may be, in minutes. */
    minutes: number;
  }

  let { open = $bindable(), take, minutes }: Props = $props();

  const microphone = new Microphone();
  let file = $state<File | null>(null);
  let address = $state("");
  const none = !Microphone.possible;

  $effect(() => {
    if (!open) void close();
  });
  onDestroy(close);

  function close() {
    microphone.end();
    forget();
  }

  function forget() {
    if (address) URL.revokeObjectURL(address);
    address = "";
    file = null;
  }

  async function end() {
    file = await microphone.stop(say.sound.recordedName(new Date()));
    if (file) address = URL.createObjectURL(file);
  }

  $effect(() => {
    if (microphone.seconds > minutes * 60) void end();
  });

  function again() {
    forget();
    void microphone.start();
  }

  function use() {
    if (file) take(file);
    open = false;
  }

  const running = $derived(microphone.state === "on" || microphone.state === "paused");
</script>

<Dialog bind:open title={say.sound.record} width="34rem" cross={say.general.close}>
  {#if none || microphone.problem}
    <p class="problem mt-4" role="alert">{none ? say.sound.microphoneUnsafe : microphone.problem}</p>
    {#if !none}<button class="button-plain mt-4" onclick={again}>{say.sound.tryAgain}</button>{/if}
  {:else if file}
    <p class="mt-3 text-note">{say.sound.listenFirst}</p>
    <audio class="mt-4 w-full" controls src={address} aria-label={say.sound.recorded}></audio>
    <div class="mt-5 flex flex-wrap gap-2">
      <button class="button-main" onclick={use}>{say.sound.useRecording}</button>
      <button class="button-plain" onclick={again}>{say.sound.recordAgain}</button>
    </div>
  {:else}
    <p class="mt-3 text-note text-faded">{say.sound.recordAbout(minutes)}</p>
    <div class="mt-5 flex flex-wrap items-center gap-x-5 gap-y-3">
      {#if running}
        <Level {microphone} />
        <span class="text-lead tabular-nums" role="timer">{clock(microphone.seconds)}</span>
        <span class="text-fine text-faded" role="status"
          >{microphone.state === "paused" ? say.sound.paused : say.sound.recording}</span>
      {/if}
    </div>
    <div class="mt-5 flex flex-wrap gap-2">
      {#if running}
        <button class="button-main" onclick={end}
          ><Square size={14} aria-hidden="true" /> {say.sound.endRecording}</button>
        {#if microphone.state === "paused"}
          <button class="button-plain" onclick={() => microphone.goOn()}>{say.sound.goOn}</button>
        {:else}
          <button class="button-plain" onclick={() => microphone.pause()}
            ><Pause size={14} aria-hidden="true" /> {say.sound.pause}</button>
        {/if}
      {:else}
        <button
          class="button-main"
          disabled={microphone.state === "asking"}
          onclick={() => microphone.start()}
          ><Mic size={15} aria-hidden="true" /> {say.sound.startRecording}</button>
      {/if}
    </div>
  {/if}
</Dialog>
