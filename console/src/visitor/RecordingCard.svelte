<!-- A recording: what it is, how it is written down, and what is said in it. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import AudioLines from "@lucide/svelte/icons/audio-lines";
  import ChevronDown from "@lucide/svelte/icons/chevron-down";
  import Search from "@lucide/svelte/icons/search";
  import Trash2 from "@lucide/svelte/icons/trash-2";
  import CopyButton from "../ui/CopyButton.svelte";
  import Progress from "../ui/Progress.svelte";
  import { textOf } from "../api/speaking";
  import { pageData, type Schemas } from "../pageData";
  import { clock, type Recording } from "./recordings.svelte";
  import SoundWishes from "./SoundWishes.svelte";
  import Transcript from "./Transcript.svelte";

  interface Props {
    /** The recording. */
    recording: Recording;
    /** What the desk says of spoken words. */
    hearing: Schemas["Hearing"];
    /** Removes it for good. */
    remove: () => void;
  }

  let { recording, hearing, remove }: Props = $props();

  const facts = $derived(recording.facts);
  const player = () => import("./Player.svelte");
  let at = $state(0);
  let playing = $state(false);
  let shown: { playFrom: (at: number) => void } | undefined = $state();
  let searching = $state(false);
  let search = $state("");
  let hit = $state(0);
  let asked = $state(false);
  let anew = $state(false);

  const hits = $derived.by(() => {
    const wanted = search.trim().toLowerCase();
    if (!wanted) return 0;
    return recording.sentences.reduce((n, s) => n + s.text.toLowerCase().split(wanted).length - 1, 0);
  });
  const whole = $derived(
    recording.sentences
      .map((s, i) => (s.who && s.who !== recording.sentences[i - 1]?.who ? `\n${s.who}: ` : "") + s.text)
      .join(" ")
      .trim(),
  );
  const ended = $derived(facts.state !== "given" && facts.state !== "working");
  const playable = $derived(facts.kept && facts.state !== "given");

  // Without a sound the place is shown all the same.
  $effect(() => {
    if (recording.wanted && !playable) {
      at = recording.wanted.at;
      recording.wanted = null;
    }
  });

  async function tellMe() {
    recording.tell = "Notification" in window && (await Notification.requestPermission()) === "granted";
  }

  function begin(wishes: Schemas["RecordingWishes"]) {
    anew = false;
    void recording.begin(wishes);
  }
</script>

<section class="scroll-mt-16 rounded-md border border-rule" aria-label={facts.name} data-recording={facts.id}>
  <header class="flex items-center gap-2.5 px-3 py-2">
    <AudioLines size={18} class="shrink-0 text-accent" aria-hidden="true" />
    <div class="min-w-0 flex-1">
      <h2 class="line-clamp-3 font-serif text-lead leading-snug font-semibold" title={facts.name}>
        {facts.name}
      </h2>
      <p class="text-fine text-faded">
        {say.sound.facts(
          facts.kind,
          clock(facts.seconds),
        )}{#if facts.language && ended && hearing.change?.length}, {say.sound.inLanguage(
            facts.language,
            facts.task === "english",
          )}{/if}{#if facts.cost}, {say.sound.cost(facts.cost)}{/if}
      </p>
    </div>
    {#if facts.state !== "given"}
      <button
        class="icon shrink-0"
        aria-expanded={recording.open}
        aria-label={recording.open ? say.sound.fold : say.sound.unfold}
        title={recording.open ? say.sound.fold : say.sound.unfold}
        onclick={() => (recording.open = !recording.open)}
        ><ChevronDown
          size={18}
          class={["transition-transform", recording.open && "rotate-180"]}
          aria-hidden="true" /></button>
    {/if}
    <button
      class="icon shrink-0"
      aria-label={say.sound.removeNamed(facts.name)}
      title={say.sound.remove}
      onclick={() => (asked = true)}><Trash2 size={16} aria-hidden="true" /></button>
  </header>

  {#if asked}
    <div
      class="mx-3 mb-3 rounded border border-wrong px-3 py-2 text-fine"
      role="alertdialog"
      aria-label={say.sound.remove}>
      <p>{say.sound.removeSure}</p>
      <div class="mt-2 flex gap-2">
        <!-- svelte-ignore a11y_autofocus -->
        <button class="button-main" autofocus onclick={remove}>{say.sound.removeYes}</button>
        <button class="button-plain" onclick={() => (asked = false)}>{say.sound.leave}</button>
      </div>
    </div>
  {/if}

  {#if facts.note?.form}<p class="px-3 pb-2 text-fine text-wrong">
      {say.sound.noted(fromService(facts.note, ""))}
    </p>{/if}

  {#if facts.state === "given" || anew}
    <div class="border-t border-rule px-3 py-3">
      <SoundWishes {recording} {hearing} {begin} close={anew ? () => (anew = false) : undefined} />
    </div>
  {/if}

  {#if facts.state === "working"}
    <div class="border-t border-rule px-3 py-2.5 text-fine" aria-live="off">
      <p class="flex flex-wrap items-center gap-x-4 gap-y-2">
        <Progress class="w-40" value={recording.done / facts.seconds} label={say.sound.writing} />
        <span role="status">{say.sound.progress(clock(recording.done), clock(facts.seconds))}</span>
        <button class="button-plain" onclick={() => recording.stop()}>{say.sound.stop}</button>
        {#if "Notification" in window && !recording.tell && facts.seconds > 120}
          <button class="button-plain" onclick={tellMe}>{say.sound.tellMe}</button>
        {:else if recording.tell}<span class="text-faded">{say.sound.willTell}</span>{/if}
      </p>
    </div>
  {/if}

  <p class={recording.finished ? "px-3 pb-2 text-fine text-faded" : "sr-only"} role="status">
    {recording.finished ? say.sound.done(recording.sentences.length) : ""}
  </p>

  {#if recording.problem}<p class="px-3 pb-2 text-fine text-wrong" role="alert">{recording.problem}</p>{/if}

  {#if ended && facts.state !== "ready"}
    <div class="border-t border-rule px-3 py-2.5 text-fine">
      <p class={facts.state === "stopped" ? "" : "text-wrong"}>
        {#if facts.state === "stopped"}{say.sound.stopped(clock(recording.done))}
        {:else if facts.state === "partly"}{say.sound.partly(
            recording.failed.map((f) => say.sound.fromTo(clock(f.start), clock(f.end))),
          )}
        {:else}{say.sound.failed}{/if}
        {#if facts.problem?.form}{say.sound.because(fromService(facts.problem, ""))}{/if}
      </p>
      {#if facts.kept}
        <button class="button-main mt-2" onclick={() => recording.begin({ again: true })}
          >{facts.state === "stopped" ? say.sound.goOnWriting : say.sound.tryMissing}</button>
      {/if}
    </div>
  {/if}

  {#if recording.open && facts.state !== "given"}
    <div class="border-t border-rule px-3 py-3">
      {#if playable}
        {#await player()}<div class="h-28"></div>{:then { default: Player }}
          <Player bind:this={shown} {recording} bind:at bind:playing />
        {:catch}<p class="text-fine text-wrong">{say.sound.cannotPlay}</p>{/await}
      {:else if facts.state === "ready"}
        <p class="text-fine text-faded">{say.sound.notKept}</p>
      {/if}
      {#if recording.sentences.length && facts.state !== "working"}
        <div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-1 text-fine text-faded print:hidden">
          <button
            class="inline-flex min-h-8 items-center gap-1.5 hover:text-accent"
            aria-expanded={searching}
            onclick={() => (searching = !searching)}
            ><Search size={14} aria-hidden="true" /> {say.sound.findShort}</button>
          <CopyButton text={whole} label={say.sound.copy} class="min-h-8" />
          <span class="inline-flex min-h-8 flex-wrap items-center gap-x-2.5"
            >{say.sound.takeAway}
            {#each ["text", "srt", "vtt", "json"] as form (form)}
              <a class="text-accent underline-offset-2 hover:underline" href={textOf(facts.id, form)} download
                >{say.sound.forms[form as "text"]}</a>
            {/each}
          </span>
          {#if facts.kept && ended && !anew}
            <button class="min-h-8 hover:text-accent" onclick={() => (anew = true)}>{say.sound.anew}</button>
          {/if}
          {#if pageData.maker}<a
              class="min-h-8 content-center text-accent hover:underline"
              href="{pageData.base}/console/recordings/{facts.id}"
              target="_blank"
              rel="noopener">{say.reply.inside}</a
            >{/if}
        </div>
      {/if}
      {#if searching}
        <div class="mt-2 flex flex-wrap items-center gap-2 text-fine" role="search">
          <!-- svelte-ignore a11y_autofocus -->
          <input
            class="field !min-h-8 !w-56 !py-0"
            bind:value={search}
            oninput={() => (hit = 0)}
            onkeydown={(e) => {
              if (e.key === "Enter" && hits) hit = (hit + (e.shiftKey ? hits - 1 : 1)) % hits;
              if (e.key === "Escape") searching = false;
            }}
            aria-label={say.sound.find}
            placeholder={say.sound.find}
            autofocus />
          <span role="status">{search.trim() ? say.sound.found(hits ? hit + 1 : 0, hits) : ""}</span>
          {#if hits > 1}
            <button class="button-plain" onclick={() => (hit = (hit + hits - 1) % hits)}
              >{say.sound.foundBefore}</button>
            <button class="button-plain" onclick={() => (hit = (hit + 1) % hits)}
              >{say.sound.foundNext}</button>
          {/if}
        </div>
      {/if}
      {#if recording.sentences.length}
        <Transcript
          {recording}
          {at}
          {playing}
          search={searching ? search.trim() : ""}
          {hit}
          play={playable ? (t) => shown?.playFrom(t) : undefined} />
      {:else if facts.state === "ready"}
        <p class="mt-3 text-note text-faded">{say.sound.nothingSaid}</p>
      {/if}
    </div>
  {/if}
</section>
