<!-- The ways to give a picture; it opens as soon as it is there. -->
<script lang="ts">
  import { say } from "../words";
  import ImagePlus from "@lucide/svelte/icons/image-plus";
  import { DropdownMenu } from "bits-ui";

  interface Props {
    /** Chooses files. */
    choose: () => void;
    /** Takes a photograph. */
    photograph: () => void;
  }

  let { choose, photograph }: Props = $props();

  let open = $state(true);
</script>

<DropdownMenu.Root bind:open>
  <DropdownMenu.Trigger class="icon shrink-0" aria-label={say.pictures.give} title={say.pictures.give}
    ><ImagePlus size={17} aria-hidden="true" /></DropdownMenu.Trigger>
  <DropdownMenu.Portal disabled>
    <DropdownMenu.Content side="top" align="start" sideOffset={6} preventScroll={false} class="menu">
      <DropdownMenu.Item class="menu-item no-underline" onSelect={choose}
        >{say.pictures.choose}</DropdownMenu.Item>
      <DropdownMenu.Item class="menu-item no-underline" onSelect={photograph}
        >{say.pictures.take}</DropdownMenu.Item>
    </DropdownMenu.Content>
  </DropdownMenu.Portal>
</DropdownMenu.Root>
