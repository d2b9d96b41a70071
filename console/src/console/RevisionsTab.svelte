<!-- The revisions of a desk, and what changed between them. -->
<script lang="ts">
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { act, complain } from "./state.svelte";
  import { ago } from "./time";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** The desk. */
    desk: Schemas["Desk"];
    /** Reads the desk anew. */
    refresh: () => Promise<void>;
  }

  let { desk, refresh }: Props = $props();

  const revisions = $derived(desk.revisions ?? []);
  let chosen = $state(0);
  let against = $state(0); // 0: the one before
  let shelves = $state.raw<NonNullable<Schemas["Revision"]["shelves"]>>([]);
  let files = $state.raw<{ older: string; newer: string; with: number } | null>(null);

  // svelte-ignore state_referenced_locally
  chosen = desk.newest;

  const other = $derived(against || chosen - 1);

  $effect(() => {
    const [older, newer] = [other, chosen];
    if (!newer) return;
    Promise.all([
      older ? making.readRevision(desk.slug, older) : null,
      making.readRevision(desk.slug, newer),
    ]).then(([a, b]) => {
      if (other === older && chosen === newer)
        ((files = { older: a?.file ?? "", newer: b.file ?? "", with: older }), (shelves = b.shelves ?? []));
    }, complain);
  });

  async function goBack(number: number) {
    const was = desk.published;
    const done = was
      ? `Revision ${number} is published again`
      : `The desk is open again, at revision ${number}`;
    await act(
      async () => (await making.returnTo(desk.slug, number), await refresh()),
      done,
      async () => (
        was ? await making.returnTo(desk.slug, was) : await making.withdraw(desk.slug),
        await refresh()
      ),
    );
  }
</script>

<div class="grid lg:grid-cols-[22rem_minmax(0,1fr)]">
  {#if revisions.length}
    <ol class="border-rule lg:h-[calc(100dvh-11.1rem)] lg:overflow-y-auto lg:border-r" reversed>
      {#each revisions as r (r.number)}
        <li class={["border-b border-rule px-4 py-3 sm:px-6", chosen === r.number && "bg-leaf"]}>
          <button
            class="block w-full text-left"
            aria-pressed={chosen === r.number}
            onclick={() => ((chosen = r.number), (against = 0))}>
            <span class="flex items-baseline justify-between gap-3">
              <span class="font-serif text-text font-semibold">Revision {r.number}</span>
              {#if r.number === desk.published}<span class="text-fine font-semibold text-accent"
                  >published</span
                >{/if}
            </span>
            {#if r.note}<span class="mt-0.5 block font-serif break-words">{r.note}</span>{/if}
            <span class="mt-0.5 block text-fine text-faded">{ago(r.made_at)}, by {r.made_by}</span>
          </button>
          {#if r.number !== desk.published}
            <Link class="mt-1 min-h-7 text-fine" onclick={() => goBack(r.number)}
              >{desk.published ? "Go back to this one" : "Open the desk with this one"}</Link>
          {/if}
        </li>
      {/each}
    </ol>
    <section class="min-w-0 lg:h-[calc(100dvh-11.1rem)] lg:overflow-y-auto" aria-label="What changed">
      <div class="flex flex-wrap items-center gap-3 px-4 py-3 text-sm sm:px-6">
        <h2 class="font-semibold">What revision {chosen} changed</h2>
        {#if chosen > 1}
          <label class="flex items-center gap-2 text-faded">
            against
            <select class="field !w-auto !min-h-8 !py-1 text-ink" bind:value={against}>
              <option value={0}>the one before</option>
              {#each revisions.filter((r) => r.number !== chosen) as r (r.number)}<option value={r.number}
                  >revision {r.number}</option
                >{/each}
            </select>
          </label>
        {/if}
      </div>
      {#each shelves as s (s.shelf)}
        <p class="px-4 pb-3 text-sm sm:px-6">
          It was published with the shelf <strong>{s.title}</strong>{s.gone
            ? ", which is no more."
            : s.then === s.now
              ? ", which has not changed since."
              : ", which has changed since:"}
          {#if s.added.length}added {s.added.slice(0, 5).join(", ")}{s.added.length > 5
              ? ` and ${s.added.length - 5} more`
              : ""}{s.removed.length ? "; " : "."}{/if}
          {#if s.removed.length}removed {s.removed.slice(0, 5).join(", ")}{s.removed.length > 5
              ? ` and ${s.removed.length - 5} more`
              : ""}.{/if}
          {#if !s.gone && s.then !== s.now && !s.added.length && !s.removed.length}something was read again.{/if}
        </p>
      {/each}
      {#if files && files.with === 0}<p class="px-4 pb-3 text-sm text-faded sm:px-6">
          It is the first one.
        </p>{/if}
      {#if files}
        {#await import("./editor/Difference.svelte") then { default: Difference }}
          {#key files}<Difference older={files.with ? files.older : files.newer} newer={files.newer} />{/key}
        {:catch}
          <p class="p-4 text-note">The comparison could not be fetched. Reload the page to try again.</p>
        {/await}
      {/if}
    </section>
  {:else}
    <p class="max-w-[36rem] px-6 pt-10 font-serif text-lead leading-relaxed">
      No revision yet. Each time the desk is published it gets one, with a number that stays; you can compare
      them and go back.
    </p>
  {/if}
</div>
