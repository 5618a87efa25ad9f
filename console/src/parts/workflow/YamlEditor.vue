<script setup lang="ts">
import { routes } from "@copper-kettle/contract";
import { readWorkflow, type Problem } from "@copper-kettle/core";
import { yaml } from "@codemirror/lang-yaml";
import { linter, lintGutter, type Diagnostic } from "@codemirror/lint";
import { HighlightStyle, syntaxHighlighting } from "@codemirror/language";
import { tags } from "@lezer/highlight";
import { basicSetup, EditorView } from "codemirror";
import { onBeforeUnmount, onMounted, ref, watch } from "vue";
import { editorTheme } from "../../logic/editor-theme.js";
import { fileCompletion } from "../../logic/expression-completion.js";
import { api } from "../../api.js";
import { cspNonce } from "../../theme.js";

const text = defineModel<string>({ required: true });
const emit = defineEmits<{ problems: [problems: Problem[]] }>();
const place = ref<HTMLElement>();
let view: EditorView | undefined;

/** Colours of the theme, so that the file reads well on light and on dark ground. */
const colour = (name: string): string => `rgb(var(--v-theme-${name}))`;
const highlight = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: colour("primary") },
  { tag: [tags.string, tags.special(tags.string)], color: colour("success") },
  { tag: [tags.number, tags.bool, tags.null, tags.keyword], color: colour("info") },
  { tag: [tags.comment, tags.lineComment], color: "inherit", opacity: "0.6", fontStyle: "italic" },
  { tag: [tags.punctuation, tags.separator, tags.brace, tags.squareBracket], opacity: "0.7" },
]);

/** The service checks with the described APIs at hand; without it the file is checked here, by the same code. */
async function problemsOf(text: string): Promise<Problem[]> {
  try {
    return (await api.call(routes.check, { body: { text } })).problems;
  } catch {
    return readWorkflow(text).problems;
  }
}

let checks = 0;

/** The same check as everywhere, run while typing. */
async function check(editor: EditorView): Promise<Diagnostic[]> {
  const { doc } = editor.state;
  const asked = ++checks;
  const problems = await problemsOf(doc.toString());
  // A later check may be answered first.
  if (asked === checks) emit("problems", problems);
  const offset = (line: number, column: number): number => {
    const found = doc.line(Math.min(Math.max(line, 1), doc.lines));
    return Math.min(found.from + column - 1, found.to);
  };
  return problems.map((problem) => {
    const from = offset(problem.line, problem.column);
    return {
      from,
      to: Math.max(from, offset(problem.endLine, problem.endColumn)),
      severity: problem.severity === "advice" ? "info" : problem.severity,
      message: problem.message,
    };
  });
}

onMounted(() => {
  view = new EditorView({
    doc: text.value,
    parent: place.value as HTMLElement,
    extensions: [
      basicSetup,
      yaml(),
      syntaxHighlighting(highlight),
      fileCompletion,
      lintGutter(),
      linter(check, { delay: 250 }),
      EditorView.cspNonce.of(cspNonce()),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) text.value = update.state.doc.toString();
      }),
      editorTheme,
    ],
  });
});
onBeforeUnmount(() => view?.destroy());
watch(text, (next) => {
  if (view && view.state.doc.toString() !== next)
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: next } });
});

/** Goes to a line, for the list of problems and the outline. */
function goTo(line: number, column = 1): void {
  if (!view) return;
  const found = view.state.doc.line(Math.min(line, view.state.doc.lines));
  const at = Math.min(found.from + column - 1, found.to);
  view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: "center" }) });
  view.focus();
}
defineExpose({ goTo });
</script>

<template>
  <div ref="place" class="yaml" />
</template>

<style scoped>
.yaml {
  height: 100%;
  overflow: hidden;
}
</style>
