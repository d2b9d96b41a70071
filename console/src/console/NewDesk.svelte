<!-- Makes a desk. -->
<script lang="ts">
  import { namesOf } from "./models";
  import Dialog from "../ui/Dialog.svelte";
  import * as making from "../api/making";
  import { deskTemplate, slugOf } from "./form/deskText";
  import { router } from "./router.svelte";
  import { act, complain, state as app } from "./state.svelte";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
  }

  let { open }: Props = $props();

  let title = $state("");
  let purpose = $state("");
  let model = $state("");
  let slug = $state("");
  let slugTouched = $state(false);

  const chatting = $derived(namesOf(app.models, "chat"));

  $effect(() => {
    if (open) app.readModels().catch(complain);
  });
  $effect(() => {
    if (!slugTouched) slug = slugOf(title);
  });
  $effect(() => {
    if (!model && chatting[0]) model = chatting[0];
  });

  async function make(e: SubmitEvent) {
    e.preventDefault();
    if (app.desks?.some((d) => d.slug === slug)) return complain(new Error());
    if (
      await act(
        () => making.saveDraft(slug, deskTemplate({ slug, title, purpose, model })),
        "The desk is a draft; nobody sees it yet",
      )
    ) {
      await app.readDesks().catch(() => {});
      router.go(`desks/${slug}`, true);
      title = purpose = slug = "";
    }
  }

  const exists = $derived(!!app.desks?.some((d) => d.slug === slug));
</script>

<Dialog bind:open={() => open, (now) => now || router.go("", true)} title="Make a desk">
  <p class="mt-1.5 text-note text-faded">
    The rest can be written beside a preview. Nobody sees the desk before you publish it.
  </p>
  <form class="mt-5 space-y-4" onsubmit={make}>
    <label class="block text-sm font-semibold"
      >Title <input
        class="field mt-1.5"
        bind:value={title}
        required
        maxlength="80"
        placeholder="The Hive Helper" /></label>
    <label class="block text-sm font-semibold">
      What it answers
      <textarea
        class="field mt-1.5 field-sizing-content"
        rows="2"
        bind:value={purpose}
        required
        maxlength="400"
        placeholder="One or two sentences that visitors read first."></textarea>
    </label>
    <label class="block text-sm font-semibold">
      Model
      {#if chatting.length}
        <select class="field mt-1.5" bind:value={model}>
          {#each chatting as m (m)}<option>{m}</option>{/each}
        </select>
      {:else}
        <span class="mt-1.5 block problem font-normal">There is no model yet. Add a connection first.</span>
      {/if}
    </label>
    <label class="block text-sm font-semibold">
      Address
      <span class="mt-1.5 flex items-center gap-2">
        <span class="font-normal text-faded">/at/</span>
        <input
          class="field"
          bind:value={slug}
          oninput={() => (slugTouched = true)}
          required
          pattern="[a-z0-9]+(-[a-z0-9]+)*"
          maxlength="60"
          title="Small letters, digits and single hyphens" />
      </span>
      {#if exists}<span class="mt-1 block font-normal text-wrong"
          >There is a desk at this address already.</span
        >{/if}
    </label>
    <div class="flex justify-end gap-3 pt-2">
      <button type="button" class="button-plain" onclick={() => router.go("", true)}>Cancel</button>
      <button class="button-main" disabled={!chatting.length || exists}>Make it</button>
    </div>
  </form>
</Dialog>
