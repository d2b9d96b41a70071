<!-- A question that is put in other words. -->
<script lang="ts">
  import { say } from "../words";
  import { onMount } from "svelte";

  interface Props {
    /** The question as it was asked. */
    question: string;
    /** Asks it. */
    ask: (question: string) => void;
    /** Closes it. */
    close: () => void;
  }

  let { question, ask, close }: Props = $props();

  // svelte-ignore state_referenced_locally
  let text = $state(question);
  let area: HTMLTextAreaElement;

  onMount(() => {
    area.focus();
    area.setSelectionRange(text.length, text.length);
  });

  function submit() {
    if (text.trim() && text.trim() !== question) ask(text.trim());
    else close();
  }

  function keydown(e: KeyboardEvent) {
    if (e.key === "Escape") {
      e.stopPropagation();
      close();
    } else if (e.key === "Enter" && !e.shiftKey && !e.isComposing) {
      e.preventDefault();
      submit();
    }
  }
</script>

<form onsubmit={(e) => (e.preventDefault(), submit())}>
  <textarea
    bind:this={area}
    bind:value={text}
    onkeydown={keydown}
    rows="1"
    class={[
      "field-sizing-content max-h-[38dvh] w-full resize-none rounded-md border border-field",
      "bg-paper px-3 py-2 font-serif text-lead leading-snug font-semibold",
    ]}
    aria-label={say.question.edit}></textarea>
  <div class="mt-2 flex flex-wrap items-center gap-3 text-sm">
    <button class="min-h-9 rounded bg-accent px-4 font-semibold text-on-accent"
      >{say.question.askInstead}</button>
    <button type="button" class="min-h-9 rounded px-3 hover:bg-leaf" onclick={close}
      >{say.question.leave}</button>
    <span class="text-fine text-faded">{say.question.editAbout}</span>
  </div>
</form>
