<script setup lang="ts">
import {
  fileForm,
  isObject,
  printPath,
  stepForm,
  stepKinds,
  triggerForm,
  triggerKinds,
  type FormField,
  type Json,
  type JsonObject,
  type Problem,
  type StepKind,
  type TriggerKind,
} from "@copper-kettle/core";
import { computed, ref, watch } from "vue";
import { focusField } from "../../editor/focus.js";
import { startValue } from "../../editor/start-value.js";
import { parameterOffers, type Offer } from "../../editor/offers.js";
import { useSession } from "../../editor/session.js";
import { stepIcons } from "../../logic/step-icons.js";
import CallMessage from "./CallMessage.vue";
import FieldChips from "./FieldChips.vue";
import FieldEditor from "./FieldEditor.vue";
import FieldRow from "./FieldRow.vue";
import InputsEditor from "./InputsEditor.vue";
import ItemChooser from "./ItemChooser.vue";
import StepTest from "./StepTest.vue";
import TextInput from "./TextInput.vue";
import ValuesEditor from "./ValuesEditor.vue";

/** What is chosen in the outline, laid out to be edited: a step as what it sends, a trigger, or the file itself. */
const session = useSession();
const { document, line, showsValues, scope } = session;
const value = computed<JsonObject>(() => {
  const found = line.value && document.valueAt(line.value.path);
  return isObject(found ?? null) ? (found as JsonObject) : {};
});
const form = computed<FormField[]>(() => {
  const at = line.value;
  if (!at) return [];
  if (at.what === "file") return fileForm().filter(({ key }) => key !== "name");
  if (at.what === "trigger")
    return triggerKinds.includes(at.kind as TriggerKind) ? triggerForm(at.kind as TriggerKind) : [];
  return stepKinds.includes(at.kind as StepKind) ? stepForm(at.kind as StepKind) : [];
});
/** What a person seldom needs stands folded below. */
const seldom = new Set([
  "retry",
  "pages",
  "until",
  "timeout",
  "idempotency",
  "if-unsure",
  "probe",
  "when-limited",
  "redirects",
  "read",
  "stop-when",
  "if-match",
  "if-none-match",
  "effect",
  "strict",
  "cookies",
  "within",
  "secret",
  "keep-going",
]);
const isThere = ({ key }: FormField): boolean => value.value[key] !== undefined;
const isMain = (field: FormField): boolean =>
  field.required || isThere(field) || (field.key === "parameters" && offers.value.length > 0);
const main = computed(() => form.value.filter((field) => isMain(field) && !seldom.has(field.key)));
const rest = computed(() => form.value.filter((field) => !isMain(field) && !seldom.has(field.key)));
const folded = computed(() => form.value.filter((field) => seldom.has(field.key)));
const foldedOpen = ref(false);
/** What is folded, in a line: what will happen to a call, else what is set. */
const foldedWords = computed(() => {
  if (scope.words.value.length > 0) return foldedOpen.value ? "" : scope.words.value.join(" ");
  const set = folded.value.filter(isThere).map(({ key }) => key);
  return set.length === 0 ? "as usual" : set.join(", ");
});
const offers = ref<Offer[]>([]);
watch(
  () => [line.value?.id, value.value["operation"]],
  async ([, operation]) =>
    (offers.value = typeof operation === "string" ? await parameterOffers(operation) : []),
  { immediate: true },
);
watch(
  () => line.value?.id,
  () => {
    // What a person has opened stays open on the next line.
    if (folded.value.some(isThere) && folded.value.length < 6) foldedOpen.value = true;
  },
);

const path = (key: string): (string | number)[] => [...(line.value?.path ?? []), key];
const root = ref<HTMLElement>();
async function add(key: string): Promise<void> {
  const field = form.value.find((one) => one.key === key);
  if (!field) return;
  await document.act({ do: "set", path: path(key), value: startValue(field) });
  await focusField(root.value, key);
}
const remove = (key: string): void => void document.act({ do: "unset", path: path(key) });
/** What is wrong with the line. */
const found = computed(() => {
  const at = line.value;
  if (!at) return [];
  const next =
    document.lines.value.find((one) => one.line > at.line && one.what !== "branch")?.line ?? Infinity;
  return document.problems.value.filter((problem) => problem.line >= at.line && problem.line < next);
});
/** What no field shows by itself. */
const problems = computed(() => found.value.filter(({ field }) => !session.fields.has(field)));
watch(found, (list) => {
  const isFolded = (problem: Problem) =>
    folded.value.some(({ key }) => problem.field.startsWith(printPath(path(key))));
  if (list.some(isFolded)) foldedOpen.value = true;
});
async function renameStep(to: string): Promise<boolean> {
  const at = line.value;
  const wanted = to.trim();
  if (!at || wanted === "" || wanted === at.name) return false;
  const done =
    at.what === "step"
      ? await document.act({ do: "rename", from: at.name, to: wanted })
      : await document.act({ do: "rename-key", path: at.path, key: wanted });
  if (done && at.what === "step") session.breakpoints.rename(at.name, wanted);
  if (done && at.what === "trigger") session.choose(`triggers.${wanted}`);
  return done !== undefined;
}
const object = (one: Json | undefined): JsonObject => (isObject(one ?? null) ? (one as JsonObject) : {});
</script>

<template>
  <section v-if="line" ref="root" class="exchange" aria-label="What is chosen">
    <header class="top">
      <v-icon :icon="stepIcons[line.what === 'file' ? 'file' : line.kind] ?? ''" size="18" />
      <TextInput
        v-if="line.what !== 'file'"
        :key="line.id"
        class="name"
        :model-value="line.name"
        :label="`Name of the ${line.what}`"
        :take="renameStep"
      />
      <b v-else>{{ line.title ?? line.name }}</b>
      <span class="dim">{{ line.what === "file" ? "the workflow" : line.kind }} · line {{ line.line }}</span>
      <ItemChooser />
      <v-btn-toggle
        v-if="line.what === 'step'"
        v-model="showsValues"
        mandatory
        density="compact"
        variant="outlined"
        class="ml-auto"
      >
        <v-btn :value="false" size="small">Expressions</v-btn>
        <v-btn :value="true" size="small">Values</v-btn>
      </v-btn-toggle>
    </header>
    <ul v-if="problems.length > 0" class="problems">
      <li
        v-for="(problem, index) in problems"
        :key="index"
        :class="
          problem.severity === 'error'
            ? 'text-error'
            : problem.severity === 'warning'
              ? 'text-warning'
              : 'dim'
        "
      >
        {{ problem.message }}
      </li>
    </ul>
    <div class="card">
      <CallMessage />
      <div class="form">
        <FieldRow
          v-for="field in main"
          :key="`${line.id} ${field.key}`"
          :name="field.key"
          :help="field.help"
          :required="field.required"
          :removable="!field.required && isThere(field)"
          @remove="remove(field.key)"
        >
          <ValuesEditor
            v-if="field.key === 'parameters'"
            :path="path('parameters')"
            :value="object(value['parameters'])"
            :offered="offers"
            label="parameters"
          />
          <FieldEditor v-else :field="field" :path="path(field.key)" :value="value[field.key]" />
        </FieldRow>
        <div v-if="rest.length > 0" class="chips"><FieldChips :offers="rest" @add="add" /></div>
      </div>
    </div>
    <div v-if="line.what === 'file' || line.kind === 'by-hand'" class="card pa-3"><InputsEditor /></div>
    <details
      v-if="folded.length > 0"
      class="card more"
      :open="foldedOpen"
      @toggle="foldedOpen = ($event.target as HTMLDetailsElement).open"
    >
      <summary>
        <b>{{
          line.kind === "request" || line.kind === "operation"
            ? "Retries, pages, time limits"
            : "Time limits, secrecy"
        }}</b>
        <span class="dim cut">{{ foldedWords }}</span>
      </summary>
      <ul v-if="scope.words.value.length > 0" class="words">
        <li v-for="sentence in scope.words.value" :key="sentence">{{ sentence }}</li>
      </ul>
      <div class="form">
        <FieldRow
          v-for="field in folded.filter(isThere)"
          :key="`${line.id} ${field.key}`"
          :name="field.key"
          :help="field.help"
          removable
          @remove="remove(field.key)"
        >
          <FieldEditor :field="field" :path="path(field.key)" :value="value[field.key]" />
        </FieldRow>
        <div class="chips"><FieldChips :offers="folded.filter((one) => !isThere(one))" @add="add" /></div>
      </div>
    </details>
    <StepTest v-if="line.what === 'step'" :key="line.id" />
  </section>
  <p v-else class="dim pa-4">Choose a line of the outline.</p>
</template>

<style scoped>
.exchange {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
  padding: 10px 14px;
}
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.top > .dim {
  white-space: nowrap;
}
.name {
  flex: 0 1 150px;
  min-width: 60px;
  padding: 2px 4px;
  border: 1px solid transparent;
  border-radius: 4px;
  background: none;
  color: inherit;
  font: inherit;
  font-weight: 700;
}
.name:hover,
.name:focus {
  border-color: var(--line);
  background: rgb(var(--v-theme-surface));
}
.problems {
  list-style: none;
}
.card {
  overflow: visible;
}
.form {
  container: fields / inline-size;
  display: grid;
  gap: 8px;
  padding: 10px 12px;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.words {
  padding: 0 12px 4px 30px;
  color: var(--dim);
}
summary {
  display: flex;
  gap: 8px;
  padding: 8px 12px;
  cursor: pointer;
}
summary::before {
  content: "▸";
}
details[open] > summary::before {
  content: "▾";
}
summary > b {
  flex: none;
}
</style>
