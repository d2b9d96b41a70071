<!-- A line for as long as the service cannot be reached, and one when it is back:
     what a page could not fetch meanwhile is fetched when it is read again. -->
<script lang="ts">
  import * as making from "../api/making";
  import { state as app } from "./state.svelte";

  $effect(() => {
    if (app.reached !== "away") return;
    const look = setInterval(async () => {
      try {
        await making.whoAmI();
        app.reached = "back";
      } catch {
        // The next look tells.
      }
    }, 3000);
    return () => clearInterval(look);
  });
</script>

<div role="status">
  {#if app.reached === "away"}
    <p class="problem mx-4 mt-3 sm:mx-8">
      The service cannot be reached. It is looked for every few seconds; nothing that you wrote is lost while
      this page stays open.
    </p>
  {:else if app.reached === "back"}
    <p class="problem mx-4 mt-3 flex flex-wrap items-center gap-3 sm:mx-8">
      The service is back.
      <button class="button-plain" onclick={() => location.reload()}>Load the page again</button>
      <button class="button-plain" onclick={() => (app.reached = "yes")}>Go on here</button>
    </p>
  {/if}
</div>
