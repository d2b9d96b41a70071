<!-- A dialog: it takes the keyboard while it is open, Escape closes it, and the
     page behind it is dimmed. -->
<script lang="ts">
  import X from "@lucide/svelte/icons/x";
  import { Dialog } from "bits-ui";
  import type { Snippet } from "svelte";

  interface Props {
    /** Whether it is shown. Default: false. */
    open?: boolean;
    /** Its name. */
    title: string;
    /** Whether only screen readers are told the title. Default: false. */
    silent?: boolean;
    /** A sentence below the title. Default: none. */
    about?: string;
    /** Where it stands: in the middle, higher up, or as a sheet at a side. Default: "middle". */
    place?: "middle" | "high" | "left" | "right";
    /** How wide it is where there is room. Default: "32rem". */
    width?: string;
    /** The words of a cross that closes it. Default: no cross. */
    cross?: string;
    /** What stands between the title and the cross. Default: nothing. */
    beside?: Snippet;
    children: Snippet;
  }

  let {
    open = $bindable(false),
    title,
    silent = false,
    about,
    place = "middle",
    width = "32rem",
    cross,
    beside,
    children,
  }: Props = $props();

  const places = {
    middle: "top-1/2 left-1/2 max-h-[90dvh] -translate-1/2 overflow-y-auto rounded-md p-6",
    high: "top-[14vh] left-1/2 max-h-[80dvh] -translate-x-1/2 overflow-y-auto rounded-md p-6",
    left: "inset-y-0 left-0 overflow-y-auto px-5 py-4",
    right: "inset-y-0 right-0 flex flex-col",
  };
  const sheet = $derived(place === "right");
</script>

<Dialog.Root bind:open>
  <Dialog.Portal>
    <Dialog.Overlay class="fixed inset-0 z-30 bg-black/40" />
    <Dialog.Content
      class={[
        "fixed z-40 bg-paper shadow-xl focus-visible:outline-none",
        places[place],
        silent && "!overflow-hidden !p-0",
      ]}
      style="width: min({width}, {sheet ? 100 : 94}vw)">
      {#if silent}
        <Dialog.Title class="sr-only">{title}</Dialog.Title>
      {:else}
        <div class={["flex items-start gap-3", sheet && "border-b border-rule px-5 py-3.5"]}>
          <div class="min-w-0 flex-1">
            <Dialog.Title
              class={[
                "font-semibold break-words",
                place === "left" ? "text-sm" : "font-serif leading-snug",
                place === "left" ? "" : sheet ? "text-lead" : "text-title",
              ]}>{title}</Dialog.Title>
            {#if about}
              <Dialog.Description class={["text-faded", sheet ? "mt-0.5 text-fine" : "mt-1.5 text-note"]}
                >{about}</Dialog.Description>
            {/if}
          </div>
          {@render beside?.()}
          {#if cross}
            <Dialog.Close class="icon -mt-1 -mr-2 shrink-0" aria-label={cross}
              ><X size={18} aria-hidden="true" /></Dialog.Close>
          {/if}
        </div>
      {/if}
      {@render children()}
    </Dialog.Content>
  </Dialog.Portal>
</Dialog.Root>
