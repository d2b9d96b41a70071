<!-- How the replies of a desk are made. -->
<script lang="ts">
  import Table from "../ui/Table.svelte";
  import { onMount } from "svelte";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { forecastLine } from "./bench/inside.svelte";
  import RecipeGraph from "./RecipeGraph.svelte";
  import { sentence } from "./state.svelte";

  interface Props {
    /** The address of the desk. */
    slug: string;
  }

  let { slug }: Props = $props();

  let recipe = $state<Schemas["Recipe"] | null>(null);
  let preferences = $state<Schemas["Preference"][]>([]);
  let problem = $state("");

  onMount(async () => {
    try {
      [recipe, preferences] = await Promise.all([making.readDeskRecipe(slug), making.readPreferences(slug)]);
    } catch (e) {
      problem = sentence(e);
    }
  });
</script>

<div class="px-4 pt-5 pb-16 sm:px-6">
  {#if problem}
    <p class="font-serif text-lead">{problem}</p>
  {:else if recipe}
    <h2 class="font-serif text-lead font-semibold">How a reply is made: {recipe.name}</h2>
    <p class="mt-1 max-w-[44rem] text-note text-faded">{recipe.about}</p>
    {#if recipe.forecast}<p class="mt-2 max-w-[44rem] text-note">{forecastLine(recipe.forecast)}</p>{/if}
    {#if preferences.length}
      <section class="mt-5 max-w-[30rem]">
        <h3 class="text-note font-semibold">What visitors prefer</h3>
        <Table label="What visitors prefer" class="mt-2">
          {#each preferences as p (p.title + p.model)}
            <tr class="border-t border-rule"
              ><td class="py-1.5">{p.title} <span class="text-faded">{p.model}</span></td><td
                class="text-right tabular-nums">{p.preferred} of {p.shown}</td
              ><td class="w-16 text-right text-faded tabular-nums"
                >{Math.round((100 * p.preferred) / p.shown)} %</td
              ></tr>
          {/each}
        </Table>
      </section>
    {/if}
    <div class="mt-5 grid gap-x-8 gap-y-6 xl:grid-cols-[minmax(0,auto)_minmax(0,1fr)]">
      <RecipeGraph drawing={recipe.drawing} />
      <details class="min-w-0" open>
        <summary class="cursor-pointer text-note font-semibold">Its file</summary>
        <!-- svelte-ignore a11y_no_noninteractive_tabindex -->
        <pre class="inside !max-h-[70vh] !font-mono !text-mini" tabindex="0">{recipe.source}</pre>
        <p class="mt-2 text-fine text-faded">
          To make your own, save it as NAME.recipe.yaml beside the desk file, change it, write <code
            >recipe: NAME.recipe.yaml</code> and publish.
        </p>
      </details>
    </div>
  {:else}
    <p class="text-faded">Fetching the recipe …</p>
  {/if}
</div>
