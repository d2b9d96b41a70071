<!-- What came of asking a model: how it answers, what was found, and the request and
     the answer side by side. -->
<script lang="ts">
  import type { Schemas } from "../../pageData";

  interface Props {
    /** What came of it. */
    probe: Schemas["Probe"];
    /** Takes over how the server wants to be asked. Default: that is not offered. */
    take?: (found: Schemas["Manners"]) => void;
    /** What the taking is called. Default: "Ask it so". */
    taking?: string;
    /** Takes a place in the answer for the reply's. Default: that is not offered. */
    choose?: (at: string) => void;
  }

  let { probe, take, taking = "Ask it so", choose }: Props = $props();

  const rate = (p: Schemas["Probe"]) =>
    p.tokens_per_second ? `, then ${Math.round(p.tokens_per_second)} tokens per second` : "";
  const shown = (text: string, most = 120) => (text.length > most ? text.slice(0, most) + " …" : text);
</script>

{#snippet wire(text: string)}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex (it scrolls) -->
  <pre
    class={[
      "mt-1 max-h-72 overflow-auto rounded-sm border border-rule p-2",
      "font-mono text-fine break-words whitespace-pre-wrap",
    ]}
    tabindex="0">{text}</pre>
{/snippet}

<div class={["text-note", !probe.works && "problem"]} role="status">
  {#if probe.works}
    <p>
      It answers{probe.found ? " if it is asked so" : ""}: first word after {Math.round(probe.first_token_ms)}
      ms{rate(probe)}{probe.thinks ? ". It thinks aloud" : ""}. {#if probe.reply}“{shown(probe.reply)}”{/if}
    </p>
  {:else}
    <p>
      <strong>It does not answer.</strong>
      <span class="inline-block break-words first-letter:uppercase">{probe.advice}</span>
    </p>
  {/if}
  {#if probe.found}
    <div class="mt-2 border-l-2 border-margin pl-4">
      <p class="break-words first-letter:uppercase">{probe.advice}</p>
      <pre class="mt-1.5 overflow-x-auto font-mono text-sm whitespace-pre-wrap">{probe.lines}</pre>
      {#if take}
        <button type="button" class="button-plain mt-2 !min-h-8" onclick={() => take(probe.found!)}
          >{taking}</button>
      {/if}
    </div>
  {/if}
  {#if probe.places?.length && choose}
    <div class="mt-2 border-l-2 border-margin pl-4">
      <p class="font-semibold">Which of these is the reply?</p>
      <ul class="mt-1 space-y-1">
        {#each probe.places as place (place.at)}
          <li class="flex flex-wrap items-baseline gap-x-3">
            <button
              type="button"
              class="min-h-7 font-mono text-sm text-accent underline underline-offset-3"
              onclick={() => choose(place.at)}>{place.at}</button>
            <span class="min-w-0 break-words text-faded">{shown(place.text, 80)}</span>
          </li>
        {/each}
      </ul>
    </div>
  {/if}
  {#if probe.trials?.length}
    <details class="mt-2">
      <summary class="min-h-7 cursor-pointer">What was tried, {probe.trials.length} ways</summary>
      <ul class="mt-1 space-y-0.5 text-sm">
        {#each probe.trials as t, i (i)}
          <li>
            {t.what}: {#if t.works}works{:else}<span class="text-faded"
                >refused{t.said ? `, “${shown(t.said)}”` : ""}</span
              >{/if}
          </li>
        {/each}
      </ul>
    </details>
  {/if}
  {#each probe.exchanges?.slice(-1) ?? [] as x (x.took_ns)}
    <details class="mt-2">
      <summary class="min-h-7 cursor-pointer">The request and its answer, as they went over the wire</summary>
      <div class="mt-1 grid gap-3 sm:grid-cols-2">
        <figure class="min-w-0">
          <figcaption class="text-fine break-all text-faded">{x.method} {x.address}</figcaption>
          {@render wire(x.request)}
        </figure>
        <figure class="min-w-0">
          <figcaption class="text-fine text-faded">
            {x.status ? `status ${x.status}` : "what it wrote to its standard error"}, after {Math.round(
              x.took_ns / 1e6,
            )} ms
          </figcaption>
          {@render wire(x.answer)}
        </figure>
      </div>
    </details>
  {/each}
</div>
