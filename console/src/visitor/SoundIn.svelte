<!-- The ways to give a recording. -->
<script lang="ts">
  import { say } from "../words";
  import FileAudio from "@lucide/svelte/icons/file-audio";
  import Mic from "@lucide/svelte/icons/mic";
  import Progress from "../ui/Progress.svelte";
  import type { Schemas } from "../pageData";
  import { zipOf } from "../api/speaking";
  import type { Recordings } from "./recordings.svelte";

  interface Props {
    /** Where they go. */
    recordings: Recordings;
    /** What the desk says of spoken words. */
    hearing: Schemas["Hearing"];
    /** Whether it stands first on the page. Default: false. */
    first?: boolean;
    /** The conversation whose texts are taken away as a ZIP. Default: none. */
    zip?: string;
  }

  let { recordings, hearing, first = false, zip = "" }: Props = $props();

  let picker: HTMLInputElement = $state()!;
  let over = $state(false);
  let recording = $state(false);
  let address = $state("");
  let byAddress = $state(false);
  const later = () => import("./later");

  function dropped(e: DragEvent) {
    over = false;
    if (!e.dataTransfer?.files.length) return;
    e.preventDefault();
    e.stopPropagation();
    void recordings.add([...e.dataTransfer.files]);
  }

  function fetchIt(e: SubmitEvent) {
    e.preventDefault();
    if (!address.trim()) return;
    void recordings.addAddress(address.trim());
    address = "";
    byAddress = false;
  }

  // On a phone what is wrong would come up under the question box.
  const inSight = (e: HTMLElement) => e.scrollIntoView({ block: "nearest" });
</script>

<div class={first ? "mt-6 max-w-[36rem]" : "mt-4"}>
  <div
    class={[
      "rounded-md border border-dashed px-4",
      first ? "py-5" : "py-2.5",
      over ? "border-accent bg-leaf" : "border-field",
    ]}
    role="group"
    aria-label={say.sound.give}
    ondragover={(e) => {
      if (!e.dataTransfer?.types.includes("Files")) return;
      e.preventDefault();
      over = true;
    }}
    ondragleave={() => (over = false)}
    ondrop={dropped}>
    <div class="flex flex-wrap items-center gap-2.5">
      <button class={first ? "button-main" : "button-plain"} onclick={() => picker.click()}
        ><FileAudio size={16} aria-hidden="true" /> {first ? say.sound.choose : say.sound.chooseMore}</button>
      <button class="button-plain" onclick={() => (recording = true)}
        ><Mic size={16} aria-hidden="true" /> {say.sound.record}</button>
      {#if hearing.by_address}
        <button class="button-plain" aria-expanded={byAddress} onclick={() => (byAddress = !byAddress)}
          >{say.sound.byAddress}</button>
      {/if}
      {#if zip}
        <a class="ml-auto text-fine text-accent hover:underline" href={zipOf(zip, "text")} download
          >{say.sound.zip}</a>
      {/if}
      {#if first}<span class="text-fine text-faded pointer-coarse:hidden">{say.sound.orDrop}</span>{/if}
    </div>
    {#if byAddress}
      <form class="mt-3 flex gap-2" onsubmit={fetchIt}>
        <input
          type="url"
          class="field min-w-0 flex-1"
          bind:value={address}
          placeholder={say.sound.addressExample}
          aria-label={say.sound.address} />
        <button class="button-main">{say.sound.fetch}</button>
      </form>
    {/if}
    {#if first}
      <p class="mt-3 text-fine text-faded">
        {say.sound.kinds(hearing.minutes ?? 0)}
        {say.sound.kept(hearing.keep ?? "conversation", hearing.days ?? 0)}
      </p>
    {/if}
    <input
      bind:this={picker}
      type="file"
      multiple
      accept="audio/*,video/*,.mp3,.m4a,.wav,.ogg,.opus,.flac,.webm,.mpeg,.mpg,.mkv,.amr,.aac"
      class="hidden"
      aria-label={say.sound.files}
      onchange={() => {
        void recordings.add([...(picker.files ?? [])]);
        picker.value = "";
      }} />
  </div>
  {#if first && hearing.samples?.length && !recordings.list.length}
    <p class="mt-3 text-fine text-faded">
      {say.sound.trySample}
      {#each hearing.samples as title, i (title)}
        <button
          class="mr-3 inline min-h-6 text-left text-accent underline-offset-2 hover:underline"
          disabled={recordings.sent !== null}
          onclick={() => recordings.addSample(i + 1)}>{title}</button>
      {/each}
    </p>
  {/if}
  {#if recordings.sent !== null}
    <p class="mt-2 flex items-center gap-3 text-fine text-faded" role="status">
      <Progress class="w-40" value={recordings.sent} label={say.sound.sending} />
      {recordings.sent < 1 ? say.attachments.sent(recordings.sent) : say.sound.opening}
    </p>
  {/if}
  {#if recordings.problems.length}
    <div class="mt-2 scroll-mb-(--foot) space-y-1 text-fine text-wrong" role="alert" {@attach inSight}>
      {#each recordings.problems as problem, i (i)}<p>{problem}</p>{/each}
    </div>
    {#if recordings.unsent.length}
      <button class="button-plain mt-1" onclick={() => recordings.add(recordings.unsent)}
        >{say.sound.sendAgain}</button>
    {/if}
  {/if}
</div>

{#if recording}
  {#await later() then { SoundRecorder }}
    <SoundRecorder
      bind:open={recording}
      minutes={hearing.minutes ?? 60}
      take={(file) => void recordings.add([file])} />
  {/await}
{/if}
