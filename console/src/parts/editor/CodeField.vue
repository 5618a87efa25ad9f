<script setup lang="ts">
import { completionKeymap, startCompletion } from "@codemirror/autocomplete";
import { bracketMatching } from "@codemirror/language";
import { history, historyKeymap, defaultKeymap } from "@codemirror/commands";
import { setDiagnostics, type Diagnostic } from "@codemirror/lint";
import { printPath, type FieldFinding, type Path } from "@copper-kettle/core";
import { EditorState } from "@codemirror/state";
import { EditorView, keymap, placeholder } from "@codemirror/view";
import { mdiFileTreeOutline } from "@mdi/js";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { ask } from "../../editor/asking.js";
import type { Code, ShownPart, Worked } from "../../editor/messages.js";
import { useSession } from "../../editor/session.js";
import { expressionColours } from "../../logic/expression-colours.js";
import { completion } from "../../logic/expression-completion.js";
import { editorTheme } from "../../logic/editor-theme.js";
import { cspNonce } from "../../theme.js";
import ExpressionParts from "./ExpressionParts.vue";

/** An expression or a text with `${…}`, on one line or more: with completion, what it becomes, and what is wrong. */
const props = defineProps<{
  modelValue: string;
  kind: "expression" | "template";
  label: string;
  /** Where it stands in the file; what is wrong there is shown below it. */
  path?: Path;
  hint?: string;
  /** Several lines: a text. */
  tall?: boolean;
}>();
const emit = defineEmits<{ "update:modelValue": [text: string] }>();
const { document, line, caret, showsValues, values, loops, scope, fields } = useSession();
const place = ref<HTMLElement>();
const worked = ref<Worked>();
let view: EditorView | undefined;
/** What was sent on while edits are under way, the last at its end: what comes back of it is no change from outside. */
let sent = [props.modelValue];
/** What was typed and is not in the file yet. */
const pending = ref<string>();

const colour = expressionColours(props.kind);
const offers = completion(({ state, pos }) =>
  ask("completeField", {
    text: document.text.value,
    line: line.value?.line ?? 1,
    kind: props.kind,
    code: state.doc.toString(),
    at: pos,
  }),
);

onMounted(() => {
  view = new EditorView({
    doc: props.modelValue,
    parent: place.value as HTMLElement,
    extensions: [
      keymap.of([
        { key: "Ctrl-Space", run: startCompletion },
        { key: "Alt-Enter", run: toggleParts },
        ...completionKeymap,
        ...historyKeymap,
        ...defaultKeymap.filter(({ key }) => key !== "Mod-Enter"),
      ]),
      history(),
      bracketMatching(),
      offers,
      colour,
      ...(props.tall ? [EditorView.lineWrapping] : [EditorView.lineWrapping, oneLine]),
      placeholder(props.hint ?? ""),
      EditorView.contentAttributes.of({ "aria-label": props.label, role: "textbox" }),
      EditorView.cspNonce.of(cspNonce()),
      EditorView.updateListener.of((update) => {
        if (update.docChanged) typed(update.state.doc.toString());
        if (update.focusChanged) (update.view.hasFocus ? focused : left)();
      }),
      editorTheme,
    ],
  });
  void work(props.modelValue);
});
/** A line break that is pasted becomes a space: an expression stands on one line. */
const oneLine = EditorState.transactionFilter.of((transaction) =>
  transaction.docChanged && transaction.newDoc.lines > 1
    ? [
        {
          changes: {
            from: 0,
            to: transaction.startState.doc.length,
            insert: transaction.newDoc.toString().replace(/\s*\n\s*/g, " "),
          },
        },
      ]
    : transaction,
);
document.typing.add(left);
const field = computed(() => props.path && printPath(props.path));
watch(
  field,
  (now, before) => {
    if (before !== undefined) fields.hides(before);
    if (now !== undefined) fields.shows(now);
  },
  { immediate: true },
);
onBeforeUnmount(() => {
  if (field.value !== undefined) fields.hides(field.value);
  document.typing.delete(left);
  left();
  view?.destroy();
});
function typed(text: string): void {
  document.touch();
  pending.value = text;
  void work(text);
  goOn();
}
/**
 * One edit at a time: where they take long, what was typed meanwhile is the next one. A field that was emptied waits for what
 * comes next: without a text it may go.
 */
function goOn(): void {
  if (!document.isEditing.value && pending.value?.trim() !== "") left();
}
watch(document.isEditing, goOn);
/** What was typed is in the file from now on. */
function left(): void {
  const text = pending.value;
  pending.value = undefined;
  if (text === undefined || text === sent.at(-1)) return;
  sent.push(text);
  emit("update:modelValue", text);
}
function focused(): void {
  caret.value = { kind: props.kind, insert };
}
watch(
  () => props.modelValue,
  (next) => {
    if (!view || sent.includes(next) || next === view.state.doc.toString()) return;
    sent = [next];
    view.dispatch({ changes: { from: 0, to: view.state.doc.length, insert: next } });
  },
);
watch([scope.values, loops.locals], () => view && void work(view.state.doc.toString()));

/** Expressions over the response of the call itself. */
const ofResponse = new Set(["success", "when", "until", "stop-when", "found", "record", "update-if"]);
/** What is worked out; undefined where there is nothing to work out. */
function codeOf(text: string): Code<"expression" | "template"> | undefined {
  const code = text.trim();
  if (code === "" || (props.kind === "template" && !code.includes("${"))) return undefined;
  const response = ofResponse.has(props.label) && line.value ? { response: line.value.name } : {};
  return { code, kind: props.kind, ...response };
}
let asked = 0;
/** What it becomes with the values of the chosen run, and where it is wrong. */
async function work(text: string): Promise<void> {
  const mine = ++asked;
  const code = codeOf(text);
  hasCode.value = code !== undefined;
  const taken = parts.value !== undefined && code ? ask("unfold", code).catch(() => undefined) : undefined;
  const at = field.value === undefined ? {} : { field: field.value };
  const found = code && (await ask("work", { ...code, ...at }).catch(() => undefined));
  const unfolded = await taken;
  if (mine !== asked || !view) return;
  worked.value = found;
  if (parts.value !== undefined) parts.value = unfolded;
  const { length } = view.state.doc;
  const marks = (found?.findings ?? []).map(({ severity, message, start, end }): Diagnostic => ({
    from: Math.min(start, length),
    to: Math.min(Math.max(end, start + 1), length),
    severity: severity === "advice" ? "info" : severity,
    message,
  }));
  view.dispatch(setDiagnostics(view.state, marks));
}
/** What is wrong: found at each key, and by the check of the whole file what only that can find. */
const findings = computed<Pick<FieldFinding, "severity" | "code" | "message">[]>(() => {
  const found = worked.value?.findings ?? [];
  if (!document.isFresh.value || pending.value !== undefined) return found;
  const isKnown = (code: string, message: string) =>
    found.some((one) => one.code === code && one.message === message);
  return [
    ...found,
    ...document.problems.value.filter((one) => one.field === field.value && !isKnown(one.code, one.message)),
  ];
});
const isWrong = computed(() => findings.value.some(({ severity }) => severity === "error"));
/** How a finding is written. */
const colours = { error: "text-error", warning: "text-warning", advice: "dim" };
watch(document.isFresh, (isFresh) => {
  if (!isFresh || !view) return;
  sent = sent.slice(-1);
  // What was found may be put right, or go wrong, by an edit elsewhere.
  if ((worked.value?.findings ?? []).length > 0) void work(view.state.doc.toString());
});

const parts = ref<ShownPart[] | string>();
const hasCode = ref(false);
/** Unfolds the expression into its parts, or folds it again. */
function toggleParts(): boolean {
  if (!view) return false;
  const code = codeOf(view.state.doc.toString());
  if (parts.value !== undefined || !code) parts.value = undefined;
  else
    void ask("unfold", code)
      .then((found) => (parts.value = found))
      .catch(() => undefined);
  return true;
}

/** Puts a text in at the caret. */
function insert(text: string): void {
  if (!view) return;
  const { from, to } = view.state.selection.main;
  // In a text the caret may stand inside of `${…}` already.
  const before = view.state.sliceDoc(0, from);
  const isInside = props.kind === "template" && before.lastIndexOf("${") > before.lastIndexOf("}");
  const put = isInside ? text.replace(/^\$\{(.*)\}$/s, "$1") : text;
  view.dispatch({ changes: { from, to, insert: put }, selection: { anchor: from + put.length } });
  view.focus();
}
defineExpose({ insert, focus: () => view?.focus() });
</script>

<template>
  <div class="code" :class="{ tall }">
    <div v-show="!(showsValues && worked?.shown !== undefined)" ref="place" class="place" />
    <div v-if="showsValues && worked?.shown !== undefined" class="place became mono">{{ worked.shown }}</div>
    <span v-else-if="worked?.shown !== undefined" class="value mono" :title="worked.shown">{{
      worked.shown
    }}</span>
    <span
      v-else-if="worked?.fault && !isWrong && values.chosen.value"
      class="value absent"
      :title="worked.fault"
      >no value in this run</span
    >
    <button
      v-if="hasCode"
      type="button"
      class="unfold"
      :aria-label="`What does this do: ${label}`"
      title="What does this do? (Alt+Enter)"
      :aria-expanded="parts !== undefined"
      @click="toggleParts"
    >
      <v-icon :icon="mdiFileTreeOutline" size="16" />
    </button>
    <p
      v-for="{ severity, code, message } in findings"
      :key="`${code} ${message}`"
      class="fault"
      :class="colours[severity]"
    >
      {{ message }}
    </p>
    <ExpressionParts v-if="parts !== undefined && !isWrong" :parts="parts" class="parts" />
  </div>
</template>

<style scoped>
.code {
  position: relative;
  display: flex;
  flex-wrap: wrap;
  align-items: flex-start;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: rgb(var(--v-theme-surface));
  min-height: 30px;
}
.code:has(> .unfold) {
  padding-right: 26px;
}
.code:focus-within {
  border-color: var(--copper);
  box-shadow: 0 0 0 1px var(--copper);
}
/* What it becomes stands beside it where both have room, else below it. */
.place {
  flex: 1 1 auto;
  min-width: 0;
}
.place :deep(.cm-editor) {
  outline: none;
}
.place :deep(.cm-content) {
  padding: 4px 0;
}
.tall .place :deep(.cm-content) {
  min-height: 64px;
}
.became {
  padding: 4px 8px;
  color: rgb(var(--v-theme-success));
  overflow-wrap: anywhere;
}
.value {
  max-width: 100%;
  padding: 4px 8px;
  color: rgb(var(--v-theme-success));
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.absent {
  color: var(--dim);
}
.unfold {
  position: absolute;
  top: 4px;
  right: 6px;
  color: var(--dim);
}
.unfold:hover,
.unfold[aria-expanded="true"] {
  color: var(--copper);
}
.parts {
  flex: 1 0 100%;
  min-width: 0;
}
.fault {
  flex: 1 0 100%;
  padding: 0 8px 4px;
  font-size: 0.8125rem;
}
</style>
