<script setup lang="ts">
import {
  isObject,
  printJson,
  valueTyped,
  type FormField,
  type Json,
  type JsonObject,
  type Path,
} from "@copper-kettle/core";
import { computed, ref } from "vue";
import { startValue } from "../../editor/start-value.js";
import { focusField } from "../../editor/focus.js";
import { useSession } from "../../editor/session.js";
import BodyEditor from "./BodyEditor.vue";
import CodeField from "./CodeField.vue";
import FieldChips from "./FieldChips.vue";
import FieldRow from "./FieldRow.vue";
import JsonField from "./JsonField.vue";
import NameField from "./NameField.vue";
import ValuesEditor from "./ValuesEditor.vue";

/** One field of the file, by what it holds. Every change is an edit of the text. */
// A Json; declared as unknown, since an empty text would else be taken for true.
const props = defineProps<{ field: FormField; path: Path; value: unknown }>();
const json = computed(() => props.value as Json | undefined);
const { document, catalogue } = useSession();

const set = (value: Json): void => void document.act({ do: "set", path: props.path, value });
const unset = (): void => void document.act({ do: "unset", path: props.path });
const text = computed(() =>
  json.value === undefined || json.value === null
    ? ""
    : typeof json.value === "string"
      ? json.value
      : printJson(json.value),
);
/** A field that is emptied is left out of the file, where it may be. */
function setText(next: string): void {
  if (next === "" && !props.field.required) unset();
  else set(next);
}
function setCode(next: string): void {
  if (next === "" && !props.field.required) return unset();
  if (props.field.kind === "expression") set(expressionValue(next));
  else set(props.field.numeric ? valueTyped(next, { type: "number" }) : next);
}
function setNumber(next: string): void {
  if (next.trim() === "") return unset();
  const number = Number(next);
  set(Number.isFinite(number) ? number : next);
}
/** What stands as a bare expression, and is one of YAML's own words, is written as it reads. */
const expressionValue = (next: string): Json => (next === "true" ? true : next === "false" ? false : next);

const names = computed(() => {
  const { apis, credentials, workflows } = catalogue.value;
  if (props.field.kind === "credential")
    return credentials.map(({ name, kind }) => ({ value: name, title: name, props: { subtitle: kind } }));
  if (props.field.kind === "workflow")
    return workflows.map(({ name, title }) => ({
      value: name,
      title: name,
      props: { subtitle: title ?? "" },
    }));
  return apis.flatMap((api) =>
    api.operations.map(({ id, title }) => {
      const name = `${api.name}.${id}`;
      return { value: name, title: name, props: { subtitle: title } };
    }),
  );
});
const inner = computed(() => props.field.fields ?? []);
const object = computed<JsonObject>(() => (isObject(json.value ?? null) ? (json.value as JsonObject) : {}));
const isBody = computed(() => props.field.key === "body" && props.field.kind === "group");

/** Which of several forms it has. */
const formAt = computed(() => {
  const forms = props.field.forms ?? [];
  if (json.value === undefined) return -1;
  const word = forms.findIndex(
    (form) => form.fields === undefined && printJson(form.value ?? null) === printJson(json.value ?? null),
  );
  if (word >= 0) return word;
  if (!isObject(json.value)) return -1;
  const keys = Object.keys(json.value);
  return forms.findIndex(
    (form) => form.fields && keys.every((key) => form.fields?.some((one) => one.key === key)),
  );
});
function chooseForm(at: number | null): void {
  const form = props.field.forms?.[at ?? -1];
  if (!form) return unset();
  if (form.value !== undefined) return set(form.value);
  const made: JsonObject = {};
  for (const one of form.fields ?? []) if (one.required) made[one.key] = startValue(one);
  set(made);
}
const group = ref<HTMLElement>();
async function add(key: string): Promise<void> {
  const one = inner.value.find((field) => field.key === key);
  if (!one) return;
  await document.act({ do: "set", path: [...props.path, key], value: startValue(one) });
  await focusField(group.value, key);
}
const open = computed(() => inner.value.filter((one) => object.value[one.key] !== undefined || one.required));
const more = computed(() =>
  inner.value.filter((one) => object.value[one.key] === undefined && !one.required),
);
</script>

<template>
  <BodyEditor v-if="isBody" :path="path" :value="object" />
  <CodeField
    v-else-if="field.kind === 'expression' || field.kind === 'template'"
    :model-value="text"
    :kind="field.kind"
    :label="field.key"
    :path="path"
    :tall="field.key === 'text' || field.key === 'about'"
    @update:model-value="setCode($event)"
  />
  <ValuesEditor v-else-if="field.kind === 'values'" :path="path" :value="object" :label="field.key" />
  <NameField
    v-else-if="field.kind === 'operation' || field.kind === 'credential' || field.kind === 'workflow'"
    :model-value="text"
    :items="names"
    :clearable="!field.required"
    :label="field.key"
    @update:model-value="setText($event)"
  />
  <v-select
    v-else-if="field.kind === 'choice'"
    :model-value="value === undefined ? null : text"
    :items="field.options ?? []"
    :clearable="!field.required"
    :aria-label="field.key"
    @update:model-value="$event === null ? unset() : set($event)"
  />
  <v-checkbox
    v-else-if="field.kind === 'switch'"
    :model-value="value === true"
    :label="value === true ? 'yes' : 'no'"
    :aria-label="field.key"
    density="compact"
    hide-details
    @update:model-value="set($event === true)"
  />
  <div v-else-if="field.kind === 'either'" class="either">
    <v-select
      :model-value="formAt < 0 ? null : formAt"
      :items="(field.forms ?? []).map(({ label }, index) => ({ title: label, value: index }))"
      :clearable="!field.required"
      :aria-label="field.key"
      @update:model-value="chooseForm($event)"
    />
    <FieldEditor
      v-if="field.forms?.[formAt]?.fields"
      :field="{ key: field.key, kind: 'group', required: false, fields: field.forms[formAt]?.fields ?? [] }"
      :path="path"
      :value="value"
    />
  </div>
  <div v-else-if="field.kind === 'group'" ref="group" class="group">
    <FieldRow
      v-for="one in open"
      :key="one.key"
      :name="one.key"
      :help="one.help"
      :removable="!one.required"
      @remove="document.act({ do: 'unset', path: [...path, one.key] })"
    >
      <FieldEditor :field="one" :path="[...path, one.key]" :value="object[one.key]" />
    </FieldRow>
    <div class="chips"><FieldChips :offers="more" @add="add" /></div>
  </div>
  <JsonField
    v-else-if="field.kind === 'any' || field.kind === 'value' || field.kind === 'list'"
    :model-value="value"
    :label="field.key"
    @update:model-value="set($event)"
  />
  <v-text-field
    v-else
    :model-value="text"
    :aria-label="field.key"
    :placeholder="field.kind === 'duration' ? '20s, 10m, 1h30m' : ''"
    :class="{ mono: field.kind !== 'words' }"
    @change="field.kind === 'number' ? setNumber($event.target.value) : setText($event.target.value)"
  />
</template>

<style scoped>
.group,
.either {
  display: grid;
  gap: 6px;
  min-width: 0;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
</style>
