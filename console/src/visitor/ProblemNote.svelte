<!-- Why a reply is not whole. -->
<script lang="ts">
  import { fromService, say } from "../words";
  import RotateCcw from "@lucide/svelte/icons/rotate-ccw";
  import type { Schemas } from "../pageData";
  import { mayHelpAgain } from "./problems";
  import Link from "../ui/Link.svelte";

  interface Props {
    /** What went wrong. */
    problem: Schemas["Trouble"];
    /** Has it made again. Default: it cannot be. */
    again?: () => void;
    /** What the button for that says. Default: to write the reply again. */
    againSays?: string;
    /** Whether trying again may help. Default: false. */
    canRetry?: boolean;
    /** In ms since 1970: trying earlier is in vain. Default: 0. */
    until?: number;
  }

  let { problem, again, againSays = say.reply.again, canRetry = false, until = 0 }: Props = $props();

  let now = $state(Date.now());
  const offered = $derived(canRetry && again && mayHelpAgain(problem));
  const left = $derived(Math.max(0, Math.ceil((until - now) / 1000)));

  $effect(() => {
    if (!until) return;
    const timer = setInterval(() => (now = Date.now()), 500);
    return () => clearInterval(timer);
  });
</script>

<div class="problem" role="alert">
  <p class="text-note leading-relaxed">{fromService(problem.phrase, problem.detail)}</p>
  {#if offered || problem.id}
    <p class="mt-2 flex flex-wrap items-center gap-x-5 gap-y-1 text-sm">
      {#if offered && left > 0}
        <span class="min-h-7 font-medium tabular-nums">{say.reply.againIn(left)}</span>
      {:else if offered}
        <Link class="inline-flex min-h-7 items-center gap-1.5 font-medium" onclick={again}>
          <RotateCcw size={14} aria-hidden="true" />
          {againSays}
        </Link>
      {/if}
      {#if problem.id}<span class="text-faded">{say.general.report(problem.id)}</span>{/if}
    </p>
  {/if}
</div>
