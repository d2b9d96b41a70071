<script lang="ts">
  import { say } from "../words";
  import { onMount } from "svelte";

  let { question, ask, close }: { question: string; ask: (question: string) => void; close: () => void } =
    $props();

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
