<script setup lang="ts">
import type { ShapeScope } from "@copper-kettle/core";
import { setDiagnostics, type Diagnostic } from "@codemirror/lint";
import { basicSetup, EditorView } from "codemirror";
import { onBeforeUnmount, onMounted, ref, watch } from "vue";
import { expressionCompletion } from "../../logic/expression-completion.js";
import { editorTheme } from "../../logic/editor-theme.js";
import { cspNonce } from "../../theme.js";

/** One expression, with completion, and marks under what is wrong. */
const text = defineModel<string>({ required: true });
const props = defineProps<{ scope: ShapeScope; marks: Diagnostic[] }>();
const place = ref<HTMLElement>();
let view: EditorView | undefined;

onMounted(() => {
  view = new EditorView({
    doc: text.value,
    parent: place.value as HTMLElement,
    extensions: [
      basicSetup,
      EditorView.lineWrapping,
      expressionCompletion(() => props.scope),
      EditorView.contentAttributes.of({ "aria-label": "Expression" }),
      EditorView.cspNonce.of(cspNonce()),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) text.value = update.state.doc.toString();
      }),
      editorTheme,
    ],
  });
  view.focus();
});
onBeforeUnmount(() => view?.destroy());
watch(text, (next) => {
  if (view && view.state.doc.toString() !== next)
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: next } });
});
watch(
  () => props.marks,
  (marks) => {
    if (!view) return;
    const { length } = view.state.doc;
    const within = marks.map((mark) => ({
      ...mark,
      from: Math.min(mark.from, length),
      to: Math.min(mark.to, length),
    }));
    view.dispatch(setDiagnostics(view.state, within));
  },
);

/** Puts a text in at the caret. */
function insert(path: string): void {
  if (!view) return;
  const { from, to } = view.state.selection.main;
  view.dispatch({ changes: { from, to, insert: path }, selection: { anchor: from + path.length } });
  view.focus();
}
defineExpose({ insert });
</script>

<template>
  <div ref="place" class="expression" />
</template>

<style scoped>
.expression {
  border: 1px solid var(--line);
  border-radius: 4px;
  min-height: 96px;
}
</style>
