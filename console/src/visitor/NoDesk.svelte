<script lang="ts">
  import { given, type Schemas } from "../given";
  import Link from "../ui/Link.svelte";

  let { problem }: { problem: Schemas["Trouble"] | null } = $props();
</script>

<main class="mx-auto max-w-[36rem] px-6 pt-24">
  <div class="mb-5 h-[3px] w-12 bg-accent" aria-hidden="true"></div>
  {#if problem}
    <h1 class="font-serif text-hero font-semibold">
      {problem.code === "no-such-desk" ? "No desk here" : "Not at the moment"}
    </h1>
    <p class="mt-4 font-serif text-lead leading-relaxed">{problem.detail}</p>
    {#if problem.id}<p class="mt-4 text-sm text-faded">If you report this, mention {problem.id}</p>{/if}
  {:else}
    <h1 class="font-serif text-hero font-semibold">Juvalogos</h1>
    <p class="mt-4 font-serif text-lead leading-relaxed">
      Desks where you can ask a model things. Each has an address of its own: follow the link that you were
      given.
    </p>
    <p class="mt-6 text-sm text-faded">
      Do you make desks? Go to the <Link href="{given.base}/console">console</Link>.
    </p>
  {/if}
</main>
