<!-- Two files side by side, with what changed. -->
<script lang="ts">
  import { unifiedMergeView } from "@codemirror/merge";
  import { yaml } from "@codemirror/lang-yaml";
  import { EditorState } from "@codemirror/state";
  import { EditorView, lineNumbers } from "@codemirror/view";
  import { onMount } from "svelte";
  import { look } from "./look";

  interface Props {
    /** The earlier text. */
    older: string;
    /** The later text. */
    newer: string;
  }

  let { older, newer }: Props = $props();

  let place: HTMLElement;

  onMount(() => {
    const view = new EditorView({
      parent: place,
      state: EditorState.create({
        doc: newer,
        extensions: [
          lineNumbers(),
          yaml(),
          EditorView.lineWrapping,
          EditorView.editable.of(false),
          EditorState.readOnly.of(true),
          EditorView.contentAttributes.of({
            "aria-label": "The newer file, with what changed",
            tabindex: "0",
            role: "textbox",
            "aria-readonly": "true",
            "aria-multiline": "true",
          }),
          look,
          older === newer
            ? []
            : unifiedMergeView({
                original: older,
                mergeControls: false,
                collapseUnchanged: { margin: 3, minSize: 6 },
                gutter: true,
              }),
        ],
      }),
    });
    return () => view.destroy();
  });
</script>

<div bind:this={place} class="border-t border-rule"></div>
