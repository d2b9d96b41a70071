<!-- The replies that a desk keeps current, to be read. -->
<script lang="ts">
  import { say } from "../words";
  import { listStanding } from "../api/visiting";
  import type { Schemas } from "../pageData";

  let list = $state.raw<Schemas["Standing"][]>([]);
  listStanding().then(
    (all) => (list = all.filter((s) => s.page)),
    () => {}, // the page is as good without it
  );
</script>

{#if list.length}
  <h2 class="mt-9 mb-1 text-sm font-semibold text-faded">{say.standing.kept}</h2>
  <ul class="border-t border-rule">
    {#each list as s (s.title)}
      <li class="border-b border-rule">
        <a class="group block py-[0.7rem] no-underline hover:bg-leaf" href={s.page}>
          <span class="block font-serif text-text leading-snug break-words group-hover:text-accent"
            >{s.title}</span>
          <span class="mt-0.5 block text-fine text-faded"
            >{say.standing.asOf(new Date(s.made_at!), s.news)}</span>
        </a>
      </li>
    {/each}
  </ul>
{/if}
