<!-- What is said in a recording, to read along, to play and to put right. -->
<script lang="ts">
  import { say } from "../words";
  import Pencil from "@lucide/svelte/icons/pencil";
  import { tick, untrack } from "svelte";
  import type { Schemas } from "../pageData";
  import { clock, type Recording } from "./recordings.svelte";

  interface Props {
    /** The recording. */
    recording: Recording;
    /** Where it is, in seconds. */
    at: number;
    /** Whether it plays. */
    playing: boolean;
    /** Words that are looked for. Default: none. */
    search?: string;
    /** Which of the places where they stand is shown, from 0. Default: the first. */
    hit?: number;
    /** Plays from a second on. Default: there is no sound any more. */
    play?: (at: number) => void;
  }

  let { recording, at, playing, search = "", hit = 0, play }: Props = $props();

  type Sentence = Schemas["SpokenSentence"];
  let list: HTMLElement | undefined = $state();
  let editing = $state(-1);
  let text = $state("");
  let who = $state("");
  let saving = $state(false);
  /** Below this a recogniser is not sure of a word. */
  const sure = 0.5;
  const editable = $derived(recording.facts.state === "ready" || recording.facts.state === "partly");
  const speakers = $derived([...new Set(recording.sentences.map((s) => s.who ?? "").filter(Boolean))]);
  const listId = $derived(`who-${recording.id}`);

  /** The sentence that is said at a time; -1: none is. */
  const current = $derived.by(() => {
    if (!at && !playing) return -1;
    let low = 0;
    let high = recording.sentences.length - 1;
    while (low <= high) {
      const mid = (low + high) >> 1;
      const s = recording.sentences[mid]!;
      if (at < s.start - 0.05) high = mid - 1;
      else if (mid + 1 < recording.sentences.length && at >= recording.sentences[mid + 1]!.start - 0.05)
        low = mid + 1;
      else return at <= s.end + 1.5 ? mid : -1;
    }
    return -1;
  });

  // What is said is kept in sight while it plays.
  $effect(() => {
    const item = list?.children[current];
    if (!playing || !item || !list) return;
    const inside = item.getBoundingClientRect();
    const around = list.getBoundingClientRect();
    if (inside.top < around.top + 8 || inside.bottom > around.bottom - 8)
      list.scrollTo({
        top: list.scrollTop + inside.top - around.top - around.height / 3,
        behavior: "smooth",
      });
  });

  // So is a place that was asked for.
  let shown = untrack(() => recording.asked);
  $effect(() => {
    if (recording.asked === shown || current < 0 || !list) return;
    shown = recording.asked;
    const item = list.children[current]!;
    list.scrollTop +=
      item.getBoundingClientRect().top - list.getBoundingClientRect().top - list.clientHeight / 3;
  });

  // So is what was found.
  $effect(() => {
    if (!search) return;
    void hit;
    void tick().then(() => list?.querySelector("mark.here")?.scrollIntoView({ block: "center" }));
  });

  /** Where it stands that a visitor looks for: per sentence the first hit's number. */
  const before = $derived.by(() => {
    let n = 0;
    return recording.sentences.map((s) => {
      const first = n;
      n += pieces(s.text).filter((p) => p.found).length;
      return first;
    });
  });

  function pieces(said: string): { text: string; found: boolean }[] {
    if (!search) return [{ text: said, found: false }];
    const out: { text: string; found: boolean }[] = [];
    const low = said.toLowerCase();
    const wanted = search.toLowerCase();
    let from = 0;
    for (let i = low.indexOf(wanted); i >= 0; i = low.indexOf(wanted, from)) {
      if (i > from) out.push({ text: said.slice(from, i), found: false });
      out.push({ text: said.slice(i, i + wanted.length), found: true });
      from = i + wanted.length;
    }
    if (from < said.length) out.push({ text: said.slice(from), found: false });
    return out;
  }

  const unsure = (s: Sentence) => s.words.some((w) => w.sure !== undefined && w.sure < sure);
  const spoken = (w: Schemas["SpokenWord"]) => playing && at >= w.start - 0.03 && at < w.end + 0.05;
  /** Words stand apart except in scripts without spaces: as in the sentence. */
  const apart = (s: Sentence, i: number) => {
    let from = 0;
    for (let k = 0; k <= i; k++) from = s.text.indexOf(s.words[k]!.text, from) + s.words[k]!.text.length;
    return s.text[from] === " " ? " " : "";
  };

  async function edit(i: number) {
    const s = recording.sentences[i]!;
    text = s.text;
    who = s.who ?? "";
    editing = i;
    await tick();
    list?.querySelector("textarea")?.focus();
  }

  async function leave() {
    const i = editing;
    editing = -1;
    await tick();
    list?.children[i]?.querySelector<HTMLElement>("[data-edit]")?.focus();
  }

  async function keep() {
    saving = true;
    const s = recording.sentences[editing]!;
    const kept = await recording.putRight(editing, {
      text: text.trim() || undefined,
      who: who.trim() === (s.who ?? "") ? undefined : who.trim(),
    });
    saving = false;
    if (kept) await leave();
  }

  async function asHeard() {
    saving = true;
    if (await recording.putRight(editing, {})) await leave();
    saving = false;
  }

  function keydown(e: KeyboardEvent) {
    if (e.key === "Escape") {
      e.preventDefault();
      e.stopPropagation();
      void leave();
    } else if (e.key === "Enter" && (e.ctrlKey || e.metaKey)) {
      e.preventDefault();
      void keep();
    }
  }

  /** A click plays; one that marks words does not. */
  function clicked(s: Sentence) {
    if (!getSelection()?.toString()) play?.(s.start);
  }
</script>

<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
<ol
  bind:this={list}
  class={[
    "mt-3 max-h-[44dvh] overflow-y-auto overscroll-contain py-1 font-serif text-text leading-relaxed",
    "print:max-h-none",
  ]}
  aria-label={say.sound.said(recording.facts.name)}
  tabindex="0">
  {#each recording.sentences as s, i (i)}
    <li class={["group flex gap-2 rounded px-1.5 py-0.5", i === current && "bg-leaf"]}>
      {#if play}
        <button
          class="mt-[0.3rem] h-6 w-11 shrink-0 text-right font-sans text-fine text-accent tabular-nums hover:underline"
          aria-label={say.sound.playFrom(clock(s.start))}
          onclick={() => play(s.start)}>{clock(s.start)}</button>
      {:else}
        <span class="mt-[0.3rem] w-11 shrink-0 text-right font-sans text-fine text-faded tabular-nums"
          >{clock(s.start)}</span>
      {/if}
      {#if editing === i}
        <!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
        <form
          class="min-w-0 flex-1 py-1 font-sans"
          onsubmit={(e) => (e.preventDefault(), void keep())}
          onkeydown={keydown}>
          <textarea
            bind:value={text}
            rows="2"
            maxlength="4000"
            class="field field-sizing-content w-full font-serif text-text"
            aria-label={say.sound.rightText}></textarea>
          {#if s.heard}<p class="mt-1 text-fine text-faded">{say.sound.wasHeard(s.heard)}</p>{/if}
          <div class="mt-1.5 flex flex-wrap items-end gap-2">
            <label class="text-fine text-faded"
              >{say.sound.whoSpeaks}
              <input bind:value={who} class="field !min-h-8 !w-44 !py-0" maxlength="60" list={listId} />
            </label>
            <datalist id={listId}
              >{#each speakers as name (name)}<option value={name}></option>{/each}</datalist>
            <button class="button-main" disabled={saving}>{say.sound.keep}</button>
            <button type="button" class="button-plain" onclick={leave}>{say.sound.leave}</button>
            {#if s.heard || s.who}<button
                type="button"
                class="button-plain"
                disabled={saving}
                onclick={asHeard}>{say.sound.asHeard}</button
              >{/if}
          </div>
        </form>
      {:else}
        <!-- svelte-ignore a11y_click_events_have_key_events, a11y_no_noninteractive_element_interactions -->
        <p class={["min-w-0 flex-1", play && "cursor-pointer"]} onclick={() => clicked(s)}>
          {#if s.who && s.who !== recording.sentences[i - 1]?.who}<b class="font-sans text-sm"
              >{s.who}:
            </b>{/if}{#if search}{#each pieces(s.text) as p, k (k)}{#if p.found}<mark
                  class={{
                    here:
                      before[i]! +
                        pieces(s.text)
                          .slice(0, k)
                          .filter((o) => o.found).length ===
                      hit,
                  }}>{p.text}</mark
                >{:else}{p.text}{/if}{/each}{:else if i === current || unsure(s)}{#each s.words as w, k (k)}<span
                class={{ spoken: i === current && spoken(w), unsure: w.sure !== undefined && w.sure < sure }}
                title={w.sure !== undefined && w.sure < sure ? say.sound.unsure : undefined}>{w.text}</span
              >{k + 1 < s.words.length ? apart(s, k) : ""}{/each}{:else}{s.text}{/if}{#if s.heard}<span
              class="ml-1.5 font-sans text-mini text-faded"
              title={say.sound.wasHeard(s.heard)}>{say.sound.wasPutRight}</span
            >{/if}
        </p>
        {#if editable}
          <button
            data-edit
            class={[
              "icon !size-7 shrink-0 opacity-0 group-focus-within:opacity-100 group-hover:opacity-100",
              "pointer-coarse:opacity-100 focus-visible:opacity-100",
            ]}
            aria-label={say.sound.putRight(clock(s.start))}
            title={say.sound.putRightTitle}
            onclick={() => edit(i)}><Pencil size={14} aria-hidden="true" /></button>
        {/if}
      {/if}
    </li>
  {/each}
</ol>

<style>
  .spoken {
    border-radius: 0.15em;
    background: var(--marker);
    box-shadow: 0 0 0 0.1em var(--marker);
  }

  .unsure {
    text-decoration: underline dotted var(--field);
    text-underline-offset: 0.2em;
  }

  mark.here {
    outline: 2px solid var(--accent);
  }
</style>
