<!-- What stands where there is no desk. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import { pageData, type Schemas } from "../pageData";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** Why; null: nothing was asked for. */
    problem: Schemas["Trouble"] | null;
  }

  let { problem }: Props = $props();
</script>

<main class="mx-auto max-w-[36rem] px-6 pt-24">
  <div class="mb-5 h-[3px] w-12 bg-accent" aria-hidden="true"></div>
  {#if problem}
    <h1 class="font-serif text-hero font-semibold">
      {problem.code === "no-such-desk" ? say.noDesk.none : say.noDesk.trouble}
    </h1>
    <p class="mt-4 font-serif text-lead leading-relaxed">{fromService(problem.phrase, problem.detail)}</p>
    {#if problem.id}<p class="mt-4 text-sm text-faded">{say.general.report(problem.id)}</p>{/if}
  {:else}
    <h1 class="font-serif text-hero font-semibold">{say.noDesk.product}</h1>
    <p class="mt-4 font-serif text-lead leading-relaxed">
      {say.noDesk.about}
    </p>
    <p class="mt-6 text-sm text-faded">
      {say.noDesk.makers[0]}<Link href="{pageData.base}/console">{say.noDesk.console}</Link>{say.noDesk
        .makers[1]}
    </p>
  {/if}
</main>
