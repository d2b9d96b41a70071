<!-- An editor of desk files that knows their keys. -->
<script lang="ts">
  import { autocompletion, completionKeymap, startCompletion } from "@codemirror/autocomplete";
  import { defaultKeymap, history, historyKeymap, indentWithTab } from "@codemirror/commands";
  import { yaml } from "@codemirror/lang-yaml";
  import { bracketMatching, indentUnit } from "@codemirror/language";
  import { lintGutter, lintKeymap, setDiagnostics, type Diagnostic } from "@codemirror/lint";
  import { EditorState } from "@codemirror/state";
  import { drawSelection, EditorView, highlightActiveLine, keymap, lineNumbers } from "@codemirror/view";
  import { onMount, untrack } from "svelte";
  import type { DeskSchema } from "../../api/making";
  import type { Schemas } from "../../pageData";
  import { completer } from "./completion";
  import { look } from "./look";

  interface Props {
    /** The file. */
    text: string;
    /** The mistakes in the file. */
    problems: Schemas["FileProblems"];
    /** The JSON Schema of desk files; null while it is fetched. */
    schema: DeskSchema | null;
    /** The names of the models that there are. */
    models: string[];
    /** Called with what is typed. */
    changed: (text: string) => void;
  }

  let { text, problems, schema, models, changed }: Props = $props();

  let place: HTMLElement;
  let view: EditorView | undefined = $state.raw();

  onMount(() => {
    view = new EditorView({
      parent: place,
      state: EditorState.create({
        doc: text,
        extensions: [
          lineNumbers(),
          history(),
          drawSelection(),
          highlightActiveLine(),
          bracketMatching(),
          indentUnit.of("  "),
          yaml(),
          lintGutter(),
          autocompletion({
            override: [
              completer(
                () => schema,
                () => models,
              ),
            ],
            activateOnTyping: true,
          }),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ "aria-label": "Desk file", spellcheck: "false" }),
          // Tab indents; Escape and then Tab leaves the editor.
          keymap.of([...completionKeymap, ...historyKeymap, ...lintKeymap, ...defaultKeymap, indentWithTab]),
          look,
          EditorView.updateListener.of((u) => {
            if (!u.docChanged) return;
            const now = u.state.doc.toString();
            if (now !== text) changed(now);
          }),
        ],
      }),
    });
    return () => view?.destroy();
  });

  // What the form changed comes in as the smallest change, so that the cursor
  // and the history stay.
  $effect(() => {
    const wanted = text;
    if (!view) return;
    const now = view.state.doc.toString();
    if (now === wanted) return;
    let from = 0;
    while (from < now.length && from < wanted.length && now[from] === wanted[from]) from++;
    let end = 0;
    while (
      end < now.length - from &&
      end < wanted.length - from &&
      now[now.length - 1 - end] === wanted[wanted.length - 1 - end]
    )
      end++;
    view.dispatch({
      changes: { from, to: now.length - end, insert: wanted.slice(from, wanted.length - end) },
    });
  });

  $effect(() => {
    const marks = problems;
    if (view) untrack(() => mark(view!, marks));
  });

  function mark(view: EditorView, problems: Schemas["FileProblems"]) {
    const doc = view.state.doc;
    const marks = problems.map((p): Diagnostic => {
      const line = doc.line(Math.min(Math.max(p.line, 1), doc.lines));
      const from = Math.min(line.from + Math.max(p.column - 1, 0), line.to);
      return {
        from: from === line.to ? line.from : from,
        to: line.to,
        severity: "error",
        message: p.message,
      };
    });
    view.dispatch(setDiagnostics(view.state, marks));
  }

  /** Puts the cursor at a problem. */
  export function show(p: Schemas["FileProblems"][number]) {
    if (!view) return;
    const line = view.state.doc.line(Math.min(Math.max(p.line, 1), view.state.doc.lines));
    const at = Math.min(line.from + Math.max(p.column - 1, 0), line.to);
    view.dispatch({ selection: { anchor: at }, scrollIntoView: true });
    view.focus();
  }

  export function complete() {
    if (view) startCompletion(view);
  }
</script>

<div bind:this={place} class="h-full overflow-hidden"></div>
