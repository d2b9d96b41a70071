<!-- A step of a reply: what went in, what came out, what was asked. -->
<script lang="ts">
  import { pageData, type Schemas } from "../../pageData";
  import CopyButton from "../../ui/CopyButton.svelte";
  import { span } from "./inside.svelte";
  import { exactMoney } from "../money";
  import { pictureOf } from "../pictures";
  import Link from "../../ui/Link.svelte";

  interface Props {
    /** The step that is looked at. */
    step: Schemas["Span"];
    /** The trace's id. */
    trace: string;
  }

  let { step, trace }: Props = $props();

  const settings = $derived(Object.entries(step.set ?? {}).filter(([, v]) => v !== "" && v !== null));
  const ins = $derived(Object.entries(step.in ?? {}));
  const outs = $derived(Object.entries(step.out ?? {}).filter(([, v]) => v !== null));
  const show = (v: unknown): string => (typeof v === "string" ? v : JSON.stringify(v, null, 2));
  const isPrompt = (v: unknown) =>
    Array.isArray(v) &&
    v.length > 0 &&
    v.every((m) => m && typeof m === "object" && "role" in m && "content" in m);
  type Seen = { id: string; name?: string; width?: number; height?: number; said?: string; tokens?: number };
  const isPicture = (v: unknown): v is Seen =>
    !!v &&
    typeof v === "object" &&
    "id" in v &&
    "width" in v &&
    "kind" in v &&
    String(v.kind).startsWith("image/");
  const picturesIn = (v: unknown): Seen[] =>
    isPicture(v) ? [v] : Array.isArray(v) && v.length > 0 && v.every(isPicture) ? v : [];
  const who: Record<string, string> = { system: "Instructions", user: "Visitor", assistant: "Model" };
</script>

{#snippet text(words: string)}
  <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
  <pre class="inside" tabindex="0">{words}</pre>
{/snippet}

{#snippet thumbs(all: Seen[])}
  <ul class="mt-1.5 flex flex-wrap gap-2">
    {#each all as p, i (p.id + i)}
      <li class="text-mini text-faded">
        <a href={pictureOf(p.id)} target="_blank" rel="noopener" title={p.name}
          ><img
            class="h-24 rounded border border-rule bg-leaf object-contain"
            src={pictureOf(p.id, true)}
            alt={p.said || p.name || "A picture"} /></a>
        {#if p.width}<span class="block"
            >{p.width} × {p.height}{p.tokens ? `, about ${p.tokens} tokens` : ""}</span
          >{/if}
      </li>
    {/each}
  </ul>
{/snippet}

{#snippet value(name: string, v: unknown)}
  <div class="mt-2">
    <p class="flex items-baseline justify-between gap-3 text-fine font-semibold"><span>{name}</span></p>
    {#if picturesIn(v).length}
      {@render thumbs(picturesIn(v))}
    {:else if isPrompt(v)}
      {#each v as { role: string; content: string; pictures?: Seen[] }[] as m, i (i)}
        <p class="mt-1.5 text-mini text-faded">{who[m.role] ?? m.role}</p>
        {@render text(m.content)}
        {#if m.pictures?.length}{@render thumbs(m.pictures)}{/if}
      {/each}
    {:else}
      {@render text(show(v))}
    {/if}
  </div>
{/snippet}

<div class="text-note">
  <p class="text-faded">
    <strong class="text-ink">{step.step}{step.number ? ` ${step.number}` : ""}</strong>, a step of the kind {step.do},
    {step.state}, {span(step.seconds)}{step.tries && step.tries > 1 ? `, ${step.tries} tries` : ""}
  </p>
  {#if step.error}<p class="mt-2 problem">{step.error}</p>{/if}
  {#each step.notes ?? [] as note, i (i)}<p class="mt-1 text-faded">{note}</p>{/each}

  {#each step.calls ?? [] as call, i (i)}
    <section class="mt-4 rounded border border-rule px-3 py-2.5">
      <p class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <strong>{call.model}</strong>
        <span class="text-faded"
          >{call.prompt_tokens} tokens in{call.cached_tokens
            ? ` (${call.cached_tokens} kept from before)`
            : ""}, {call.reply_tokens} out{call.thought_tokens
            ? ` (${call.thought_tokens} thought)`
            : ""}{call.counted ? " (counted here)" : ""}{call.cost ? `, ${exactMoney(call.cost)}` : ""}</span>
        <span class="text-faded"
          >{call.first ? `first word after ${span(call.first)}, ` : ""}{span(call.seconds)} in all{call.waited
            ? `, ${span(call.waited)} in line`
            : ""}{call.retries ? `, asked again ${call.retries} times` : ""}{call.finish
            ? `, ended with ${call.finish}`
            : ""}</span>
      </p>
      {#if call.error}<p class="mt-1 text-wrong">{call.error}</p>{/if}
      {#if call.settings && Object.keys(call.settings).length}<p class="mt-1 text-fine text-faded">
          {Object.entries(call.settings)
            .map(([k, v]) => `${k} ${show(v)}`)
            .join(", ")}
        </p>{/if}
      {#if call.making}
        <p class="mt-2 text-fine font-semibold">What it was asked for</p>
        {@render text(call.making.words || "variations")}
        <p class="mt-1 text-fine text-faded">
          {call.making.number}
          {call.making.number === 1 ? "picture" : "pictures"}{call.making.width
            ? `, ${call.making.width} × ${call.making.height}`
            : ""}{call.making.seed !== undefined ? `, seed ${call.making.seed}` : ""}; {call.pictures ?? 0} came
        </p>
        {#if call.making.picture}{@render thumbs(
            [call.making.picture, call.making.mask].filter((id) => !!id).map((id) => ({ id: id! })),
          )}{/if}
      {:else}
        <details class="mt-2" open>
          <summary class="min-h-7 cursor-pointer text-fine font-semibold"
            >The prompt, exactly as sent</summary>
          {#each call.messages ?? [] as m, j (j)}
            <p class="mt-1.5 text-mini text-faded">{who[m.role] ?? m.role}</p>
            {@render text(m.content)}
            {#if m.pictures?.length}{@render thumbs(m.pictures)}{/if}
          {/each}
        </details>
      {/if}
      {#if call.thought}
        <details class="mt-2">
          <summary class="min-h-7 cursor-pointer text-fine font-semibold">What it thought aloud</summary>
          {@render text(call.thought)}
        </details>
      {/if}
      {#if call.answer || !call.making}
        <p class="mt-2 flex items-baseline justify-between gap-3 text-fine font-semibold">
          <span>The answer, exactly as it came</span>
          <CopyButton text={call.answer} label="Copy the answer" />
        </p>
        {@render text(call.answer || "nothing")}
      {/if}
    </section>
  {/each}

  {#if settings.length}
    <details class="mt-4" open={!step.calls?.length}>
      <summary class="min-h-7 cursor-pointer text-fine font-semibold">Settings</summary>
      {#each settings as [name, v] (name)}{@render value(name, v)}{/each}
    </details>
  {/if}
  {#if ins.length}
    <details class="mt-2" open={!step.calls?.length}>
      <summary class="min-h-7 cursor-pointer text-fine font-semibold">What it took</summary>
      {#each ins as [name, v] (name)}{@render value(name, v)}{/each}
    </details>
  {/if}
  {#if outs.length}
    <details class="mt-2" open={!step.calls?.length}>
      <summary class="min-h-7 cursor-pointer text-fine font-semibold">What it gave</summary>
      {#each outs as [name, v] (name)}{@render value(name, v)}{/each}
    </details>
  {/if}
  {#if step.shortened}
    <p class="mt-2">
      <Link href="{pageData.base}/api/traces/{trace}?whole=yes" target="_blank" rel="noopener"
        >Long texts are cut here; all of it as JSON</Link>
    </p>
  {/if}
</div>
