<!-- What can be done with a conversation. -->
<script lang="ts">
  import { say } from "../words";
  import Ellipsis from "@lucide/svelte/icons/ellipsis";
  import { DropdownMenu } from "bits-ui";
  import Dialog from "../ui/Dialog.svelte";
  import { pageData } from "../pageData";
  import ShareDialog from "./ShareDialog.svelte";
  import type { Conversation } from "./conversation.svelte";

  interface Props {
    /** The conversation. */
    conversation: Conversation;
    /** Removes it. */
    remove: () => void;
    /** Begins a new one. */
    startOver: () => void;
  }

  let { conversation, remove, startOver }: Props = $props();

  let renaming = $state(false);
  let sharing = $state(false);
  let title = $state("");

  const file = (as: string) => `${pageData.base}/api/conversations/${conversation.id}/export?as=${as}`;

  async function rename(e: SubmitEvent) {
    e.preventDefault();
    if (await conversation.rename(title)) renaming = false;
  }
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger class="icon" aria-label={say.conversation.menu}
    ><Ellipsis size={18} aria-hidden="true" /></DropdownMenu.Trigger>
  <!-- In place, so that it stays within the header's landmark. -->
  <DropdownMenu.Portal disabled>
    <DropdownMenu.Content align="end" sideOffset={4} strategy="fixed" preventScroll={false} class="menu">
      <DropdownMenu.Item
        class="menu-item no-underline"
        onSelect={() => ((title = conversation.title), (renaming = true))}
        >{say.conversation.rename}</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item no-underline" onSelect={() => (sharing = true)}
        >{say.conversation.share}</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item no-underline" onSelect={() => location.assign(file("markdown"))}
        >{say.conversation.asMarkdown}</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item no-underline" onSelect={() => location.assign(file("json"))}
        >{say.conversation.asJson}</DropdownMenu.Item>
      {#if conversation.turns.some((t) => t.pictures.length)}
        <DropdownMenu.Item class="menu-item no-underline" onSelect={() => location.assign(file("zip"))}
          >{say.conversation.asZip}</DropdownMenu.Item>
      {/if}
      <DropdownMenu.Item class="menu-item no-underline" onSelect={() => setTimeout(print, 200)}
        >{say.conversation.print}</DropdownMenu.Item>
      <DropdownMenu.Separator class="my-1 border-t border-rule" />
      <DropdownMenu.Item class="menu-item no-underline" onSelect={startOver}
        >{say.conversation.startOver}</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item no-underline" onSelect={remove}
        >{say.conversation.remove}</DropdownMenu.Item>
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>

<Dialog bind:open={renaming} title={say.conversation.renameThis} place="high" width="28rem">
  <form class="mt-4 flex gap-2" onsubmit={rename}>
    <input
      bind:value={title}
      class="field min-w-0 flex-1 font-serif"
      maxlength="120"
      required
      aria-label={say.conversation.name} />
    <button class="button-main">{say.conversation.rename}</button>
  </form>
</Dialog>

<ShareDialog bind:open={sharing} {conversation} />
