<!-- Shares a conversation by a link. -->
<script lang="ts">
  import { say } from "../words";
  import Dialog from "../ui/Dialog.svelte";
  import CopyButton from "../ui/CopyButton.svelte";
  import type { Conversation } from "./conversation.svelte";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** The conversation. */
    conversation: Conversation;
  }

  let { open = $bindable(), conversation }: Props = $props();

  const link = $derived(conversation.shared ? new URL(conversation.shared, location.origin).href : "");

  async function withdraw() {
    await conversation.unshare();
    open = false;
  }
</script>

<Dialog bind:open title={say.share.this} place="high">
  {#if link}
    <p class="mt-2 text-note leading-relaxed">
      {say.share.shared}
    </p>
    <div class="mt-4 flex items-center gap-2">
      <input
        class="min-w-0 flex-1 rounded border border-field bg-leaf px-3 py-2 text-sm"
        readonly
        value={link}
        aria-label={say.share.link}
        onfocus={(e) => e.currentTarget.select()} />
      <CopyButton
        text={link}
        label={say.share.copy}
        class="min-h-9 rounded bg-accent px-4 text-sm font-semibold text-on-accent hover:!text-on-accent" />
    </div>
    <Link class="mt-4 min-h-8 text-sm" onclick={withdraw}>{say.share.withdraw}</Link>
  {:else}
    <p class="mt-2 text-note leading-relaxed">
      {say.share.toShare}
    </p>
    <button
      class="mt-4 rounded bg-accent px-4 py-2 text-sm font-semibold text-on-accent"
      onclick={() => conversation.share()}>{say.share.make}</button>
  {/if}
</Dialog>
