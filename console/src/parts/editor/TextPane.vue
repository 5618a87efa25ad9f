<script setup lang="ts">
import { yaml } from "@codemirror/lang-yaml";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { lintGutter, setDiagnostics, type Diagnostic } from "@codemirror/lint";
import { keymap } from "@codemirror/view";
import { tags } from "@lezer/highlight";
import { basicSetup, EditorView } from "codemirror";
import { onBeforeUnmount, onMounted, ref, watch } from "vue";
import { ask } from "../../editor/asking.js";
import { useSession } from "../../editor/session.js";
import { download } from "../../logic/download.js";
import { editorTheme } from "../../logic/editor-theme.js";
import { completion } from "../../logic/expression-completion.js";
import { yamlIndent } from "../../logic/yaml-indent.js";
import { cspNonce } from "../../theme.js";

/** The file as text: the same document as the outline, with the same history. */
const { document, caret, choose, chosen } = useSession();
const place = ref<HTMLElement>();
let view: EditorView | undefined;

const save = (): void =>
  download(`${document.name}.copper-kettle.yaml`, document.text.value, "application/yaml");

/** Colours of the theme, so that the file reads well on light and on dark ground. */
const colour = (name: string): string => `rgb(var(--v-theme-${name}))`;
const highlight = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: colour("primary") },
  { tag: [tags.string, tags.special(tags.string)], color: colour("success") },
  { tag: [tags.number, tags.bool, tags.null, tags.keyword], color: colour("info") },
  { tag: [tags.comment, tags.lineComment], color: colour("dim"), fontStyle: "italic" },
  { tag: [tags.punctuation, tags.separator, tags.brace, tags.squareBracket], color: colour("dim") },
]);

onMounted(() => {
  view = new EditorView({
    doc: document.text.value,
    parent: place.value as HTMLElement,
    extensions: [
      // One history for all views: it is the document's.
      keymap.of([
        { key: "Mod-z", run: () => (document.undo(), true), preventDefault: true },
        { key: "Mod-y", run: () => (document.redo(), true), preventDefault: true },
        { key: "Mod-Shift-z", run: () => (document.redo(), true), preventDefault: true },
      ]),
      basicSetup,
      yamlIndent,
      yaml(),
      syntaxHighlighting(highlight),
      completion(({ state, pos }) => ask("completeText", { text: state.doc.toString(), at: pos })),
      lintGutter(),
      EditorView.contentAttributes.of({ "aria-label": "The workflow file" }),
      EditorView.cspNonce.of(cspNonce()),
      EditorView.updateListener.of((update) => {
        if (update.docChanged && !isTaking) document.type(update.state.doc.toString());
        if (update.focusChanged && update.view.hasFocus) caret.value = { kind: "template", insert };
        if (update.selectionSet && update.view.hasFocus)
          follow(update.state.doc.lineAt(update.state.selection.main.head).number);
      }),
      editorTheme,
    ],
  });
  mark();
  const line = document.lines.value.find(({ id }) => id === chosen.value);
  if (line) goTo(line.line, 1, false);
});
/** The caret stays in sight when the pane becomes lower, as it does where problems appear below it. */
const resized = new ResizeObserver(() => {
  if (!view?.hasFocus) return;
  const { head } = view.state.selection.main;
  view.dispatch({ effects: EditorView.scrollIntoView(head, { y: "nearest", yMargin: 40 }) });
});
onMounted(() => place.value && resized.observe(place.value));
onBeforeUnmount(() => {
  resized.disconnect();
  view?.destroy();
});

let isTaking = false;
watch(document.text, (next) => {
  if (!view || view.state.doc.toString() === next) return;
  isTaking = true;
  view.dispatch({ changes: changed(view.state.doc.toString(), next) });
  isTaking = false;
});
/** Only what differs is put in, so that the caret stays where it is. */
function changed(before: string, after: string): { from: number; to: number; insert: string } {
  let from = 0;
  while (from < before.length && before[from] === after[from]) from++;
  let [to, end] = [before.length, after.length];
  while (to > from && end > from && before[to - 1] === after[end - 1]) [to, end] = [to - 1, end - 1];
  return { from, to, insert: after.slice(from, end) };
}
watch([document.problems, document.isFresh], mark);
function mark(): void {
  if (!view || !document.isFresh.value) return;
  const { doc } = view.state;
  const offset = (line: number, column: number): number => {
    const found = doc.line(Math.min(Math.max(line, 1), doc.lines));
    return Math.min(found.from + column - 1, found.to);
  };
  const marks = document.problems.value.map((problem): Diagnostic => {
    const from = offset(problem.line, problem.column);
    return {
      from,
      to: Math.max(from, offset(problem.endLine, problem.endColumn)),
      severity: problem.severity === "advice" ? "info" : problem.severity,
      message: problem.message,
    };
  });
  view.dispatch(setDiagnostics(view.state, marks));
}
/** The outline follows the place in the text. */
function follow(number: number): void {
  const at = document.lines.value.findLast(({ line, what }) => line <= number && what !== "branch");
  if (at && document.isFresh.value) choose(at.id);
}
function insert(text: string): void {
  if (!view) return;
  const { from, to } = view.state.selection.main;
  view.dispatch({ changes: { from, to, insert: text }, selection: { anchor: from + text.length } });
  view.focus();
}
/** Goes to a line, for the list of problems and the outline. */
function goTo(line: number, column = 1, takesFocus = true): void {
  if (!view) return;
  const found = view.state.doc.line(Math.min(line, view.state.doc.lines));
  const at = Math.min(found.from + column - 1, found.to);
  view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
  if (takesFocus) view.focus();
}
watch(chosen, (id) => {
  const line = document.lines.value.find((one) => one.id === id);
  if (line && view && !view.hasFocus) goTo(line.line, 1, false);
});
defineExpose({ goTo });
</script>

<template>
  <div class="pane">
    <div ref="place" class="yaml" />
    <v-btn size="small" variant="text" class="save" @click="save">Download the file</v-btn>
  </div>
</template>

<style scoped>
.pane {
  display: flex;
  flex-direction: column;
  height: 100%;
  min-height: 0;
}
.yaml {
  flex: 1;
  min-height: 0;
  overflow: hidden;
}
.save {
  flex: none;
  align-self: flex-end;
}
</style>
