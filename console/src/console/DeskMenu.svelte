<!-- What can be done with a desk as a whole. -->
<script lang="ts">
  import Ellipsis from "@lucide/svelte/icons/ellipsis";
  import { DropdownMenu } from "bits-ui";
  import Dialog from "../ui/Dialog.svelte";
  import * as making from "../api/making";
  import { copy } from "../copy";
  import { pageData, type Schemas } from "../pageData";
  import { router } from "./router.svelte";
  import { act } from "./state.svelte";

  interface Props {
    /** The desk. */
    desk: Schemas["Desk"];
    /** Reads the desk anew. */
    refresh: () => Promise<void>;
  }

  let { desk, refresh }: Props = $props();

  let duplicating = $state(false);
  let as = $state("");

  const copyLink = () =>
    act(() => copy(new URL(desk.page, location.origin).href), "The link is on the clipboard");

  async function withdraw() {
    const was = desk.published;
    await act(
      async () => (await making.withdraw(desk.slug), await refresh()),
      "Withdrawn: visitors find no desk here now",
      async () => (await making.returnTo(desk.slug, was), await refresh()),
    );
  }

  async function dropDraft() {
    const { file } = await making.readDraft(desk.slug);
    const only = !desk.newest;
    const ok = await act(
      () => making.dropDraft(desk.slug),
      "The draft is gone",
      async () => (
        await making.saveDraft(desk.slug, file),
        only ? router.go(`desks/${desk.slug}`) : location.reload()
      ),
    );
    if (!ok) return;
    if (only) router.go("");
    else location.reload();
  }

  async function duplicate(e: SubmitEvent) {
    e.preventDefault();
    if (!(await act(() => making.duplicate(desk.slug, as), "The copy is a draft"))) return;
    duplicating = false;
    router.go(`desks/${as}`);
  }
</script>

<DropdownMenu.Root>
  <DropdownMenu.Trigger class="icon self-center" aria-label="More to do with this desk"
    ><Ellipsis size={18} aria-hidden="true" /></DropdownMenu.Trigger>
  <DropdownMenu.Portal disabled>
    <DropdownMenu.Content align="end" sideOffset={4} class="menu">
      {#if desk.published}<DropdownMenu.Item class="menu-item" onSelect={copyLink}
          >Copy the link for visitors</DropdownMenu.Item
        >{/if}
      <DropdownMenu.Item class="menu-item" onSelect={() => ((as = `${desk.slug}-2`), (duplicating = true))}
        >Duplicate</DropdownMenu.Item>
      <DropdownMenu.Item
        class="menu-item"
        onSelect={() => location.assign(`${pageData.base}/api/desks/${desk.slug}/export`)}
        >Export as one file</DropdownMenu.Item>
      {#if desk.draft || desk.published}<DropdownMenu.Separator class="my-1 border-t border-rule" />{/if}
      {#if desk.draft}<DropdownMenu.Item class="menu-item" onSelect={dropDraft}
          >Throw the draft away</DropdownMenu.Item
        >{/if}
      {#if desk.published}<DropdownMenu.Item class="menu-item" onSelect={withdraw}>Withdraw</DropdownMenu.Item
        >{/if}
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>

<Dialog bind:open={duplicating} title="Duplicate this desk">
  <form class="mt-4" onsubmit={duplicate}>
    <label class="block text-sm font-semibold">
      Address of the copy
      <span class="mt-1.5 flex items-center gap-2"
        ><span class="font-normal text-faded">/at/</span><input
          class="field"
          bind:value={as}
          required
          pattern="[a-z0-9]+(-[a-z0-9]+)*"
          maxlength="60"
          title="Small letters, digits and single hyphens" /></span>
    </label>
    <div class="mt-5 flex justify-end"><button class="button-main">Duplicate</button></div>
  </form>
</Dialog>
