<!-- A photograph, taken in the page. -->
<script lang="ts">
  import { say } from "../words";
  import { onDestroy } from "svelte";
  import Dialog from "../ui/Dialog.svelte";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** Takes the photograph. */
    take: (file: File) => void;
  }

  let { open = $bindable(), take }: Props = $props();

  let video: HTMLVideoElement | undefined = $state();
  let canvas: HTMLCanvasElement | undefined = $state();
  let stream: MediaStream | null = null;
  let ready = $state(false);
  let taken = $state(false);
  let problem = $state("");

  $effect(() => {
    if (open) void start();
    else stop();
  });
  onDestroy(stop);

  async function start() {
    problem = "";
    taken = ready = false;
    if (!navigator.mediaDevices) {
      problem = say.pictures.cameraUnsafe;
      return;
    }
    try {
      stream = await navigator.mediaDevices.getUserMedia({
        video: { facingMode: "environment", width: { ideal: 1920 } },
        audio: false,
      });
      if (!open || !video) return stop();
      video.srcObject = stream;
      await video.play();
      ready = true;
    } catch (e) {
      problem =
        e instanceof DOMException && e.name === "NotAllowedError"
          ? say.pictures.cameraRefused
          : say.pictures.cameraNone;
    }
  }

  function stop() {
    for (const track of stream?.getTracks() ?? []) track.stop();
    stream = null;
  }

  function shoot() {
    if (!video || !canvas) return;
    canvas.width = video.videoWidth;
    canvas.height = video.videoHeight;
    canvas.getContext("2d")!.drawImage(video, 0, 0);
    taken = true;
  }

  function use() {
    canvas!.toBlob(
      (blob) => {
        if (blob) take(new File([blob], `${say.pictures.photograph}.jpg`, { type: "image/jpeg" }));
        open = false;
      },
      "image/jpeg",
      0.92,
    );
  }
</script>

<Dialog bind:open title={say.pictures.take} width="44rem" cross={say.general.close}>
  {#if problem}
    <p class="problem mt-4" role="alert">{problem}</p>
  {:else}
    <div class="mt-4 grid overflow-hidden rounded border border-rule bg-leaf">
      <!-- svelte-ignore a11y_media_has_caption -->
      <video
        bind:this={video}
        class={["max-h-[60dvh] min-h-40 w-full object-contain", taken && "hidden"]}
        playsinline
        muted
        aria-label={say.pictures.cameraSees}></video>
      <canvas
        bind:this={canvas}
        class={["max-h-[60dvh] w-full object-contain", !taken && "hidden"]}
        aria-label={say.pictures.photograph}></canvas>
    </div>
    <div class="mt-4 flex gap-2">
      {#if taken}
        <button class="button-main" onclick={use}>{say.pictures.use}</button>
        <button class="button-plain" onclick={() => (taken = false)}>{say.pictures.takeAgain}</button>
      {:else}
        <button class="button-main" disabled={!ready} onclick={shoot}>{say.pictures.shoot}</button>
      {/if}
    </div>
  {/if}
</Dialog>
