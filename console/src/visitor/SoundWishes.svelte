<!-- How a recording is to be written down: what it is, what it costs, and what a visitor may choose. -->
<script lang="ts">
  import { say } from "../words";
  import { untrack } from "svelte";
  import type { Schemas } from "../pageData";
  import { keepNames, ownNames, type Recording } from "./recordings.svelte";

  interface Props {
    /** The recording. */
    recording: Recording;
    /** What the desk says of spoken words. */
    hearing: Schemas["Hearing"];
    /** Has it written down. */
    begin: (wishes: Schemas["RecordingWishes"]) => void;
    /** Leaves it as it is. Default: there is nothing to leave. */
    close?: () => void;
  }

  let { recording, hearing, begin, close }: Props = $props();

  const may = (what: string) => hearing.change?.includes(what) ?? false;
  const id = $props.id();
  let task = $state(untrack(() => hearing.task ?? "write"));
  let language = $state(untrack(() => hearing.language ?? ""));
  let temperature = $state(untrack(() => hearing.temperature ?? 0));
  let names = $state(
    untrack(() => [may("names") ? hearing.names : "", ...ownNames()].filter(Boolean).join(", ")),
  );

  function go() {
    if (hearing.guided)
      keepNames(
        names
          .split(",")
          .map((n) => n.trim())
          .filter((n) => n && !(hearing.names ?? "").split(/,\s*/).includes(n)),
      );
    begin({
      task: may("task") ? task : undefined,
      language: may("language") && language ? language : undefined,
      names: hearing.guided ? names.trim() || undefined : undefined,
      temperature: may("temperature") ? temperature : undefined,
    });
  }
</script>

<form class="text-note" onsubmit={(e) => (e.preventDefault(), go())}>
  {#if may("task") && hearing.english}
    <fieldset class="mb-3">
      <legend class="mb-1 text-fine font-semibold text-faded">{say.sound.task}</legend>
      {#each ["write", "english"] as const as t (t)}
        <label class="mr-5 inline-flex min-h-8 items-center gap-2"
          ><input type="radio" class="accent-accent" name="task-{id}" value={t} bind:group={task} />
          {say.sound.tasks[t]}</label>
      {/each}
    </fieldset>
  {:else if task === "english"}
    <p class="mb-3">{say.sound.willTranslate}</p>
  {/if}
  {#if may("language") || hearing.guided || may("temperature")}
    <div class="mb-3 grid gap-3 sm:grid-cols-2">
      {#if may("language")}
        <label class="block text-fine text-faded"
          >{say.sound.language}
          <select class="field mt-0.5" bind:value={language}>
            <option value="">{say.sound.findOut}</option>
            {#each hearing.languages ?? [] as l (l.code)}<option value={l.code}>{l.name}</option>{/each}
          </select>
        </label>
      {/if}
      {#if hearing.guided}
        <label class="block text-fine text-faded"
          >{say.sound.names}
          <input
            class="field mt-0.5"
            bind:value={names}
            maxlength="1500"
            placeholder={say.sound.namesExample} />
          {#if hearing.names && !may("names")}<span class="mt-0.5 block"
              >{say.sound.namesOfDesk(hearing.names)}</span
            >{/if}
        </label>
      {/if}
      {#if may("temperature")}
        <label class="block text-fine text-faded"
          >{say.sound.temperature}
          <span class="mt-0.5 flex items-center gap-2"
            >{say.sound.careful}<input
              type="range"
              class="h-6 flex-1 accent-accent"
              min="0"
              max="1"
              step="0.1"
              bind:value={temperature}
              aria-label={say.sound.temperature} />{say.sound.free}</span>
        </label>
      {/if}
    </div>
  {/if}
  <div class="flex flex-wrap items-center gap-x-3 gap-y-2">
    <button class="button-main">{task === "english" ? say.sound.beginEnglish : say.sound.begin}</button>
    {#if close}<button type="button" class="button-plain" onclick={close}>{say.sound.leave}</button>{/if}
    <p class="text-fine text-faded">
      {#if recording.facts.estimate}{say.sound.willCost(recording.facts.estimate)}{/if}
      {#if close && recording.sentences.some((s) => s.heard || s.who)}{say.sound.rightsGo}{/if}
    </p>
  </div>
</form>
