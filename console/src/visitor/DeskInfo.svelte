<script lang="ts">
  import Info from "@lucide/svelte/icons/info";
  import Dialog from "../ui/Dialog.svelte";
  import type { Schemas } from "../given";

  let { desk }: { desk: Schemas["Face"] } = $props();

  let open = $state(false);

  const memory = $derived(
    desk.turns === 0
      ? "It remembers nothing of what was said before: each question stands alone."
      : `It remembers this conversation: the last ${desk.turns} questions word for word${desk.summary ? ", and what was said before them in short" : ""}. It knows nothing of your other conversations.`,
  );
  const may = $derived(
    [
      desk.choices.models.length > 1 && "which model answers",
      desk.choices.manner && "how careful or inventive replies are",
      desk.choices.length && "how long they are",
      desk.choices.languages.length && "their language",
    ].filter((x): x is string => !!x),
  );
</script>

{#snippet list(title: string, items: string[])}
  {#if items.length}
    <h3 class="mt-5 text-sm font-semibold">{title}</h3>
    <ul class="mt-1 list-disc space-y-1 pl-5 font-serif leading-relaxed marker:text-accent">
      {#each items as item (item)}<li>{item}</li>{/each}
    </ul>
  {/if}
{/snippet}

<button
  type="button"
  class="icon"
  aria-label="What this desk can do"
  title="What this desk can do"
  onclick={() => (open = true)}><Info size={18} aria-hidden="true" /></button>
<Dialog bind:open title="What this desk can do" width="34rem" cross="Close">
  <p class="mt-3 font-serif leading-relaxed">{desk.purpose}</p>
  {@render list("Good for", desk.good_for)}
  {@render list("Not for", desk.not_for)}
  {@render list("What it knows", desk.known)}
  {@render list("What it remembers", [memory])}
  {#if desk.attachments}{@render list("Your own documents", [
      "You may attach documents to a conversation, with the paper clip beside the question box. They are read at once and answered from. Only you can open them; what answers quote is part of the conversation. They go when you remove it.",
    ])}{/if}
  {#if may.length}{@render list("What you may change", [
      `You may choose ${new Intl.ListFormat("en").format(may)}, below the question box.`,
    ])}{/if}
  <p class="mt-5 text-sm text-faded">
    Replies are written by a machine. It can be wrong: check what matters.
  </p>
</Dialog>
