<script setup lang="ts">
import { isObject, own, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import { mdiClose, mdiPlus } from "@mdi/js";
import { computed, ref } from "vue";
import {
  emptyOf,
  isFixed,
  kindOfValue,
  kinds,
  missingFields,
  schemaFor,
  skeleton,
  typedNumber,
  withField,
  withoutField,
  type Kind,
} from "../../logic/body-value.js";

/** A value as fields: exactly what it holds, in its own order; its schema gives titles, help, choices and what may be added. */
const props = defineProps<{
  /** A Json; declared as unknown, since an empty text would else be taken for true. */
  value: unknown;
  schema?: JsonObject | undefined;
  name?: string;
  required?: boolean;
  removable?: boolean;
}>();
const emit = defineEmits<{ change: [value: Json]; remove: [] }>();

const value = computed(() => props.value as Json);
const kind = computed(() => kindOfValue(value.value));
const schema = computed(() => schemaFor(props.schema, value.value));
const title = computed(() => {
  const given = schema.value["title"];
  const label = typeof given === "string" && given ? given : (props.name ?? "");
  return props.required ? `${label} *` : label;
});
const help = computed(() =>
  typeof schema.value["description"] === "string" ? schema.value["description"] : "",
);
const choices = computed(() => (Array.isArray(schema.value["enum"]) ? schema.value["enum"] : []));
const fields = computed(() =>
  isObject(value.value) ? Object.keys(value.value).filter((key) => !isFixed(fieldSchema(key))) : [],
);
const items = computed(() => (Array.isArray(value.value) ? value.value : []));
const addable = computed(() => (isObject(value.value) ? missingFields(schema.value, value.value) : []));
const requiredKeys = computed(() =>
  Array.isArray(schema.value["required"]) ? schema.value["required"] : [],
);
const typed = ref<string>();
const numberText = computed(() => typed.value ?? String(props.value));
const newKey = ref("");

const fieldSchema = (key: string): JsonObject | undefined => {
  const properties = schema.value["properties"];
  const found = isObject(properties) ? own(properties, key) : undefined;
  const others = schema.value["additionalProperties"];
  return isObject(found) ? found : isObject(others) ? others : undefined;
};
const itemSchema = computed(() => (isObject(schema.value["items"]) ? schema.value["items"] : undefined));
const object = (): JsonObject => props.value as JsonObject;

function setNumber(text: string): void {
  typed.value = text;
  const number = typedNumber(text);
  if (number === undefined) return;
  typed.value = undefined;
  emit("change", number);
}
function setKind(next: Kind): void {
  if (next === kind.value) return;
  const text = typeof props.value === "string" ? props.value : printJson(props.value);
  const number = next === "number" ? typedNumber(text) : undefined;
  typed.value = undefined;
  emit("change", number ?? (next === "text" && kind.value === "number" ? text : emptyOf(next)));
}
function add(key: string): void {
  if (key === "" || own(object(), key) !== undefined) return;
  const described = fieldSchema(key);
  emit("change", withField(object(), key, described ? skeleton(described) : ""));
  newKey.value = "";
}
function addItem(): void {
  const last = items.value.at(-1);
  const fresh = itemSchema.value
    ? skeleton(itemSchema.value)
    : last === undefined
      ? ""
      : emptyOf(kindOfValue(last));
  emit("change", [...items.value, fresh]);
}
const setItem = (index: number, next: Json): void =>
  emit(
    "change",
    items.value.map((item, at) => (at === index ? next : item)),
  );
const removeItem = (index: number): void =>
  emit(
    "change",
    items.value.filter((_item, at) => at !== index),
  );
</script>

<template>
  <div class="value">
    <div class="row">
      <span
        v-if="name !== undefined && (kind === 'object' || kind === 'list' || kind === 'null')"
        class="label"
        >{{ title }}</span
      >
      <v-select
        v-if="choices.length > 0 && kind !== 'object' && kind !== 'list'"
        :model-value="value"
        :items="choices"
        :label="title"
        :hint="help"
        class="grow"
        @update:model-value="emit('change', $event)"
      />
      <v-text-field
        v-else-if="kind === 'text'"
        :model-value="value"
        :label="title"
        :hint="help"
        class="grow"
        autocomplete="off"
        @update:model-value="emit('change', $event)"
      />
      <v-text-field
        v-else-if="kind === 'number'"
        :model-value="numberText"
        :label="title"
        :hint="help"
        :error-messages="typed === undefined ? undefined : 'Not a number.'"
        inputmode="decimal"
        class="grow"
        autocomplete="off"
        @update:model-value="setNumber"
      />
      <v-checkbox
        v-else-if="kind === 'yes or no'"
        :model-value="value"
        :label="title"
        density="compact"
        hide-details
        class="grow"
        @update:model-value="emit('change', $event === true)"
      />
      <span v-else-if="kind === 'null'" class="mono dim">null</span>
      <v-select
        class="kind"
        :model-value="kind"
        :items="kinds"
        hide-details
        density="compact"
        :aria-label="`Kind of ${name ?? 'the body'}`"
        @update:model-value="setKind($event as Kind)"
      />
      <button
        v-if="removable"
        type="button"
        class="small"
        :aria-label="`Remove ${name}`"
        @click="emit('remove')"
      >
        <v-icon :icon="mdiClose" size="16" />
      </button>
    </div>
    <div v-if="kind === 'object'" class="inner">
      <BodyForm
        v-for="key in fields"
        :key="key"
        :name="key"
        :value="own(object(), key) as Json"
        :schema="fieldSchema(key)"
        :required="requiredKeys.includes(key)"
        removable
        @change="emit('change', withField(object(), key, $event))"
        @remove="emit('change', withoutField(object(), key))"
      />
      <div class="adding">
        <button
          v-for="key in addable"
          :key="key"
          type="button"
          class="small add"
          :title="String(fieldSchema(key)?.['description'] ?? '')"
          @click="add(key)"
        >
          <v-icon :icon="mdiPlus" size="14" />{{ key }}
        </button>
        <form class="other" @submit.prevent="add(newKey)">
          <input
            v-model="newKey"
            class="mono"
            placeholder="another field"
            aria-label="Name of another field"
          />
        </form>
      </div>
    </div>
    <div v-else-if="kind === 'list'" class="inner">
      <BodyForm
        v-for="(item, index) in items"
        :key="index"
        :name="String(index)"
        :value="item"
        :schema="itemSchema"
        removable
        @change="setItem(index, $event)"
        @remove="removeItem(index)"
      />
      <button type="button" class="small add" @click="addItem">
        <v-icon :icon="mdiPlus" size="14" />item
      </button>
    </div>
  </div>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  align-items: end;
}
.grow {
  flex: 1;
  min-width: 0;
}
.label {
  font-weight: 500;
  flex: 1;
}
.row > button {
  height: 34px;
}
.kind {
  flex: 0 0 112px;
  width: 112px;
}
.inner {
  display: grid;
  gap: 8px;
  margin: 10px 0 6px 2px;
  padding-left: 12px;
  border-left: 2px solid rgb(var(--v-theme-surface-variant));
}
.adding {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.small {
  color: var(--dim);
  font-size: 0.8125rem;
}
.add {
  justify-self: start;
  border: 1px dashed currentColor;
  border-radius: 4px;
  padding: 0 6px;
}
.other input {
  width: 110px;
  font-size: 0.8125rem;
  border: 0;
  border-bottom: 1px solid currentColor;
  color: inherit;
  background: transparent;
  color: var(--dim);
}
</style>
