<!-- A text section by section: a heading or a time leads to the place. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import type { Schemas } from "../pageData";
  import Markdown from "../markdown/Markdown.svelte";
  import Link from "../ui/Link.svelte";
  import type { Recordings } from "./recordings.svelte";
  import { placeOf, sectionOf, timeOf, type Shown } from "./sources";
  import SourceView from "./SourceView.svelte";

  interface Props {
    /** What is written over it, in the service's words. */
    title: string;
    /** The sections. */
    outline: Schemas["Outline"];
    /** What was asked. */
    question: string;
    /** Recordings whose texts are documents: a place in one is played. Default: there are none. */
    recordings?: Recordings;
  }

  let { title, outline, question, recordings }: Props = $props();

  let open = $state(false);
  let opened = $state<Shown | null>(null);
  let looking = $state(false);
  /** Whether they are of several documents. */
  const several = $derived(new Set(outline.sections.map((s) => s.passage.document)).size > 1);

  /** What is written over a section: its heading, of a talk when it is said. */
  function headed(s: Schemas["OutlineSection"], heading: string): string {
    if (!s.passage.place.includes(":")) return heading;
    const at = s.passage.place.replace(/^at /, "");
    return heading === s.passage.title && !several ? at : `${at} ${heading}`;
  }

  function show(s: Schemas["OutlineSection"]) {
    const note = {
      passage: s.passage.text ? s.passage : { ...s.passage, text: s.text },
      place: placeOf(s.passage.place, sectionOf(s.passage), s.passage.title),
      quote: "",
      marks: s.passage.spans ?? [],
    };
    const recording = recordings?.of(s.passage.document);
    if (recording) {
      recording.playFrom(timeOf(note));
      document.querySelector(`[data-recording="${recording.id}"]`)?.scrollIntoView({ block: "start" });
      return;
    }
    opened = note;
    looking = true;
  }
</script>

<details bind:open class="mt-4 border-t border-rule pt-2">
  <summary class="min-h-7 cursor-pointer text-note font-semibold"
    >{fromService({ form: title }, title)}
    <span class="font-normal text-faded">({say.outline.sections(outline.sections.length)})</span></summary>
  {#if open}
    <ol class="mt-2 space-y-3">
      {#each outline.sections as s (s.passage.number)}
        {@const heading = sectionOf(s.passage) || s.passage.title}
        <li class="grid grid-cols-[2.25rem_minmax(0,1fr)] gap-x-2">
          <span class="pt-0.5 text-right text-fine text-accent tabular-nums">{s.passage.number}</span>
          <div class="min-w-0">
            <Link class="min-h-7 text-left text-note font-semibold" onclick={() => show(s)}
              >{headed(s, heading)}</Link
            >{#if several && heading !== s.passage.title}<span class="text-fine text-faded"
                >, {s.passage.title}</span
              >{/if}
            {#if s.text}<div class="text-note"><Markdown text={s.text} /></div>{/if}
          </div>
        </li>
      {/each}
    </ol>
  {/if}
</details>
{#if opened}<SourceView bind:open={looking} note={opened} {question} />{/if}
