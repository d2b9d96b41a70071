<!-- Plays a recording, with its shape. -->
<script lang="ts">
  import { say } from "../words";
  import Pause from "@lucide/svelte/icons/pause";
  import Play from "@lucide/svelte/icons/play";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import RotateCw from "@lucide/svelte/icons/rotate-cw";
  import { onMount } from "svelte";
  import WaveSurfer from "wavesurfer.js";
  import { soundOf } from "../api/speaking";
  import { pageData } from "../pageData";
  import { clock, type Recording } from "./recordings.svelte";

  interface Props {
    /** What is played. */
    recording: Recording;
    /** Where it is, in seconds. Default: 0. */
    at?: number;
    /** Whether it plays. Default: false. */
    playing?: boolean;
  }

  let { recording, at = $bindable(0), playing = $bindable(false) }: Props = $props();

  let shape: HTMLElement | undefined = $state();
  let audio: HTMLAudioElement | undefined = $state();
  let problem = $state("");
  const length = $derived(recording.facts.seconds);
  const speeds = [0.5, 0.75, 1, 1.25, 1.5, 2];
  const speedKey = "juvalogos-speed";
  let speed = $state(Number(localStorage.getItem(speedKey)) || 1);
  const jump = 5;

  const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
  // light-dark() has to be resolved where it is used.
  function resolved(name: string): string {
    const probe = document.createElement("span");
    probe.style.color = `var(${name})`;
    document.body.append(probe);
    const value = getComputedStyle(probe).color;
    probe.remove();
    return value || colour(name);
  }

  $effect(() => {
    if (!shape || !audio || !recording.peaks.length) return;
    const paint = () => ({
      waveColor: resolved("--field"),
      progressColor: resolved("--accent"),
      cursorColor: resolved("--ink"),
    });
    const drawn = WaveSurfer.create({
      container: shape,
      media: audio,
      peaks: [recording.peaks.map((p) => p / 100)],
      duration: length,
      height: 56,
      barWidth: 2,
      barGap: 1,
      barRadius: 1,
      barMinHeight: 1,
      cursorWidth: 1,
      ...paint(),
    });
    const repaint = () => drawn.setOptions(paint());
    const scheme = matchMedia("(prefers-color-scheme: dark)");
    scheme.addEventListener("change", repaint);
    const watch = new MutationObserver(repaint);
    watch.observe(document.documentElement, { attributeFilter: ["data-theme"] });
    return () => {
      scheme.removeEventListener("change", repaint);
      watch.disconnect();
      drawn.destroy();
    };
  });

  // While it plays, where it is is looked at with every picture of the screen.
  $effect(() => {
    if (!playing) return;
    let frame = 0;
    const look = () => {
      at = audio?.currentTime ?? at;
      frame = requestAnimationFrame(look);
    };
    look();
    return () => cancelAnimationFrame(frame);
  });

  $effect(() => {
    if (audio) audio.playbackRate = speed;
    localStorage.setItem(speedKey, String(speed));
  });

  // Somebody wants to hear a place.
  $effect(() => {
    const wanted = recording.wanted;
    if (!wanted || !audio) return;
    recording.wanted = null;
    void playFrom(wanted.at);
  });

  // The lock screen of a phone, and the keys for music.
  onMount(() => () => navigator.mediaSession && (navigator.mediaSession.metadata = null));
  function lockScreen() {
    const session = navigator.mediaSession;
    if (!session) return;
    session.metadata = new MediaMetadata({ title: recording.facts.name, artist: pageData.desk?.title ?? "" });
    session.setActionHandler("play", () => void play());
    session.setActionHandler("pause", () => audio?.pause());
    session.setActionHandler("seekbackward", () => seek(at - jump));
    session.setActionHandler("seekforward", () => seek(at + jump));
    session.setActionHandler("seekto", (d) => d.seekTime !== undefined && seek(d.seekTime));
  }

  async function play() {
    // One at a time.
    for (const other of document.querySelectorAll("audio")) if (other !== audio) other.pause();
    try {
      await audio!.play();
      lockScreen();
    } catch (e) {
      // Another press came first, or the browser wants one.
      if (!(e instanceof DOMException && ["AbortError", "NotAllowedError"].includes(e.name)))
        problem = say.sound.cannotPlay;
    }
  }

  export async function playFrom(seconds: number) {
    seek(seconds);
    await play();
  }

  function seek(to: number) {
    if (!audio) return;
    at = Math.min(Math.max(0, to), length);
    audio.currentTime = at;
  }

  export function toggle() {
    if (playing) audio?.pause();
    else void play();
  }
</script>

<div
  class="rounded-md border border-rule px-3 py-2.5"
  role="group"
  aria-label={say.sound.player(recording.facts.name)}>
  <div bind:this={shape} class="h-14 cursor-pointer" aria-hidden="true"></div>
  <!-- svelte-ignore a11y_media_has_caption -->
  <audio
    bind:this={audio}
    class="hidden"
    src={soundOf(recording.id)}
    preload="metadata"
    onplay={() => ((playing = true), (problem = ""))}
    onpause={() => (playing = false)}
    onended={() => (playing = false)}
    onseeked={() => (at = audio!.currentTime)}
    onerror={() => (problem = say.sound.cannotPlay)}></audio>
  <div class="mt-2 flex flex-wrap items-center gap-x-2 gap-y-1">
    <button
      class="icon !bg-accent text-on-accent"
      aria-label={playing ? say.sound.pausePlaying : say.sound.play}
      title={playing ? say.sound.pausePlaying : say.sound.play}
      onclick={toggle}>
      {#if playing}<Pause size={17} fill="currentColor" aria-hidden="true" />{:else}<Play
          size={17}
          fill="currentColor"
          aria-hidden="true" />{/if}
    </button>
    <button
      class="icon"
      aria-label={say.sound.back(jump)}
      title={say.sound.back(jump)}
      onclick={() => seek(at - jump)}><RotateCcw size={16} aria-hidden="true" /></button>
    <button
      class="icon"
      aria-label={say.sound.on(jump)}
      title={say.sound.on(jump)}
      onclick={() => seek(at + jump)}><RotateCw size={16} aria-hidden="true" /></button>
    <input
      type="range"
      class="h-6 min-w-24 flex-1 accent-accent"
      min="0"
      max={length}
      step="1"
      value={at}
      aria-label={say.sound.where}
      aria-valuetext={say.sound.whereOf(clock(at), clock(length))}
      oninput={(e) => seek(Number(e.currentTarget.value))} />
    <span class="text-fine text-faded tabular-nums">{clock(at)} / {clock(length)}</span>
    <label class="flex items-center gap-1 text-fine text-faded">
      {say.sound.speed}
      <select class="field !min-h-8 !w-auto !py-0" bind:value={speed}>
        {#each speeds as s (s)}<option value={s}>{say.sound.times(s)}</option>{/each}
      </select>
    </label>
  </div>
  {#if problem}<p class="mt-1 text-fine text-wrong" role="alert">{problem}</p>{/if}
</div>
