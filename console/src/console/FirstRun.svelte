<!-- What is still to do before a desk is shared. -->
<script lang="ts">
  import Progress from "../ui/Progress.svelte";
  import Check from "@lucide/svelte/icons/check";
  import { Trouble } from "../api/service";
  import * as making from "../api/making";
  import type { Schemas } from "../pageData";
  import { router } from "./router.svelte";
  import { act, state as app } from "./state.svelte";

  interface Props {
    /** How far things have come. */
    milestones: Schemas["Milestones"];
    /** The desks that there are. */
    desks: Schemas["Desk"][];
  }

  let { milestones, desks }: Props = $props();

  const first = $derived(desks[0]?.slug);
  const steps = $derived([
    {
      done: milestones.connected,
      title: "Connect a model",
      about: "Say where it answers, and give its key if it has one.",
      name: "Add a connection",
      go: () => router.go("connections/new"),
    },
    {
      done: milestones.answered,
      title: "Hear it answer",
      about: "A probe asks it for a few words and tells what is wrong if none come.",
      name: "Probe it",
      go: probe,
    },
    {
      done: milestones.written,
      title: "Make a desk",
      about: "A title, what it is for, and standing instructions for the model.",
      name: "Make a desk",
      go: () => router.go("new"),
    },
    {
      done: milestones.tried,
      title: "Try it",
      about: "Ask it something beside the file, and change the file until you like the replies.",
      name: "Open it",
      go: () => first && router.go(`desks/${first}`),
    },
    {
      done: milestones.published,
      title: "Publish it",
      about: "From then on whoever has the link can ask.",
      name: "Publish it",
      go: () => first && router.go(`desks/${first}`),
    },
  ]);
  const at = $derived(steps.findIndex((s) => !s.done));
  const count = $derived(steps.filter((s) => s.done).length);

  async function probe() {
    await act(async () => {
      const bad = (await making.probe("")).find((p) => !p.works);
      if (bad) throw new Trouble("probe", `It does not answer: ${bad.advice}.`);
      await app.readMilestones();
    }, "The model answers");
    router.go("connections");
  }
</script>

<section class="mt-6 mb-10 rounded-md border border-rule p-5 sm:p-7" aria-labelledby="first-run">
  <div class="flex flex-wrap items-baseline justify-between gap-x-6 gap-y-1">
    <h2 id="first-run" class="font-serif text-title font-semibold">From a model to a page in five steps</h2>
    <p class="text-sm text-faded">{count} of {steps.length} done</p>
  </div>
  <Progress label="Steps done" value={count / steps.length} class="mt-3" />
  <ol class="mt-5 grid gap-x-6 gap-y-5 sm:grid-cols-2 lg:grid-cols-5">
    {#each steps as step, i (step.title)}
      <li
        class={["flex flex-col items-start", i !== at && !step.done && "text-faded"]}
        aria-current={i === at ? "step" : undefined}>
        <p class="flex items-center gap-2 font-serif text-text font-semibold">
          {#if step.done}<Check size={16} class="text-accent" aria-label="Done:" />{:else}<span
              class="text-accent tabular-nums">{i + 1}</span
            >{/if}
          {step.title}
        </p>
        <p class="mt-1 flex-1 text-fine leading-relaxed">{step.about}</p>
        {#if i === at}<button class="button-main mt-3" onclick={step.go}>{step.name}</button>{/if}
      </li>
    {/each}
  </ol>
</section>
