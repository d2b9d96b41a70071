<!-- How loud a microphone is. -->
<script lang="ts">
  import { say } from "../words";
  import type { Microphone } from "./microphone.svelte";

  interface Props {
    /** The microphone. */
    microphone: Microphone;
  }

  let { microphone }: Props = $props();

  const bars = 14;
</script>

<span
  class="flex h-6 items-end gap-[3px]"
  role="meter"
  aria-label={say.sound.level}
  aria-valuemin="0"
  aria-valuemax="100"
  aria-valuenow={Math.round(100 * microphone.level)}>
  {#each { length: bars } as _, i (i)}
    <span
      class={["w-[5px] rounded-sm", microphone.level * bars > i ? "bg-accent" : "bg-rule"]}
      style:height="{30 + (70 * i) / (bars - 1)}%"></span>
  {/each}
</span>
