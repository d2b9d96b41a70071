<!-- What a question would take, where that can be told before it is asked. -->
<script lang="ts">
  import { say } from "../words";
  import { Trouble } from "../api/service";
  import type { Schemas } from "../pageData";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** What stands in the question box. */
    draft: () => string;
    /** Finds out what a question takes. */
    foretell: (question: string) => Promise<Schemas["ReplyForecast"]>;
  }

  let { draft, foretell }: Props = $props();

  let told = $state("");
  let wrong = $state(false);
  let asking = $state(false);

  async function ask() {
    const question = draft().trim();
    wrong = false;
    if (!question) {
      told = say.forecast.empty;
      return;
    }
    asking = true;
    told = say.forecast.looking;
    try {
      const f = await foretell(question);
      told = say.forecast.takes(f.sections, f.kept, f.seconds, f.cost, f.most_cost);
    } catch (e) {
      wrong = true;
      told = e instanceof Trouble ? e.detail : say.notices.broken;
    } finally {
      asking = false;
    }
  }
</script>

<div class="mb-2 flex flex-wrap items-baseline gap-x-3 gap-y-1 text-fine">
  <Link class="min-h-7" onclick={() => !asking && ask()}>{say.forecast.ask}</Link>
  <p class={["min-w-0", wrong ? "text-wrong" : "text-faded"]} role="status">{told}</p>
</div>
