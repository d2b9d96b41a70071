<!-- What a candidate answered to a question, each time. -->
<script lang="ts">
  import Check from "@lucide/svelte/icons/check";
  import X from "@lucide/svelte/icons/x";
  import type { Schemas } from "../../pageData";
  import Dialog from "../../ui/Dialog.svelte";
  import Link from "../../ui/Link.svelte";
  import { exactMoney } from "../money";
  import { hrefOf, router } from "../router.svelte";
  import { span } from "../time";

  interface Props {
    /** Whether it is shown. */
    open: boolean;
    /** The run. */
    run: Schemas["Run"];
    /** The question, from 0. */
    question: number;
    /** Who answered, from 0. */
    candidate: number;
  }

  let { open = $bindable(), run, question, candidate }: Props = $props();

  const q = $derived(run.quiz.questions[question]!);
  const who = $derived(run.run.candidates[candidate]!);
  const answers = $derived(run.answers.filter((a) => a.question === question && a.candidate === candidate));
</script>

<Dialog bind:open title={q.question} about={who.title} place="right" width="40rem" cross="Close">
  <div class="min-h-0 flex-1 overflow-y-auto px-5 py-4 text-note">
    <ul class="space-y-0.5">
      {#each q.options as o, i (i)}
        <li class={["flex items-center gap-2", o.right && "font-semibold"]}>
          {#if o.right}<Check size={15} class="shrink-0 text-accent" aria-label="right" />{:else}<span
              class="w-[15px] shrink-0"></span
            >{/if}<span class="min-w-0 break-words">{o.text}</span>
        </li>
      {/each}
    </ul>
    <p class="mt-3 text-fine text-faded">
      They were asked in another order each time: letters of answers are of that order.
    </p>
    <ol class="mt-3">
      {#each answers as a (a.time)}
        <li class="border-t border-rule py-3">
          <p class="flex flex-wrap items-baseline gap-x-3">
            <span class="text-fine text-faded">Time {a.time + 1}</span>
            {#if a.problem}<span class="text-wrong">No answer</span>
            {:else if a.chosen < 0}<span>chose no option that can be told</span>
            {:else}<span class="inline-flex items-center gap-1"
                >{#if a.right}<Check size={14} aria-hidden="true" />right:{:else}<X
                    size={14}
                    aria-hidden="true" />wrong:{/if} <strong>{q.options[a.chosen]!.text}</strong></span
              >{/if}
            {#if a.turn}<Link
                class="ml-auto"
                href={hrefOf(`desks/${who.desk}/bench/${a.turn}`)}
                onclick={router.follow}>Open in the bench</Link
              >{/if}
          </p>
          {#if a.problem}<p class="mt-1">{a.problem}</p>
          {:else}<blockquote
              class="mt-1 border-l-2 border-margin pl-3 font-serif break-words whitespace-pre-wrap">
              {a.said}
            </blockquote>{/if}
          <p class="mt-1 text-fine text-faded">
            {#if a.kept}Answered in an earlier run.{:else if !a.problem}{span(a.seconds)}, {exactMoney(
                a.cost,
              )}{/if}
          </p>
        </li>
      {:else}
        <li class="border-t border-rule py-3 text-faded">It has not been asked yet.</li>
      {/each}
    </ol>
  </div>
</Dialog>
