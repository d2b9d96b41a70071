<!-- What is wrong with the service now, as the owner is told of it. -->
<script lang="ts">
  import { onMount } from "svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { ago } from "./time";

  let troubles = $state<Schemas["OwnersTrouble"][]>([]);

  async function look() {
    try {
      troubles = await making.readNotices();
    } catch {
      // That the service is away is said elsewhere.
    }
  }

  onMount(() => {
    void look();
    const again = setInterval(look, 30_000);
    return () => clearInterval(again);
  });
</script>

<div role="status">
  {#each troubles as t (t.key)}
    <p class="problem mx-4 mt-3 sm:mx-8">{t.what} <span class="text-faded">(since {ago(t.since)})</span></p>
  {/each}
</div>
