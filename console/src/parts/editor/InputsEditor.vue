<script setup lang="ts">
import { isObject, printJson, valueOfWords, type Json, type JsonObject } from "@copper-kettle/core";
import { computed, ref } from "vue";
import { useSession } from "../../editor/session.js";
import JsonField from "./JsonField.vue";
import TextInput from "./TextInput.vue";

/** The inputs of the workflow as a table of fields; what a table cannot say is edited as JSON. */
const { document } = useSession();
const schema = computed<JsonObject>(() => {
  const found = document.valueAt(["inputs"]);
  return isObject(found ?? null) ? (found as JsonObject) : {};
});
const properties = computed<JsonObject>(() => {
  const found = schema.value["properties"];
  return isObject(found ?? null) ? (found as JsonObject) : {};
});
const required = computed<string[]>(() => {
  const found = schema.value["required"];
  return Array.isArray(found) ? found.map(String) : [];
});
const raw = ref(false);
const name = ref("");
const types = [
  { title: "text", value: "string" },
  { title: "number", value: "number" },
  { title: "whole number", value: "integer" },
  { title: "yes or no", value: "boolean" },
  { title: "list", value: "array" },
  { title: "object", value: "object" },
  { title: "date", value: "string date" },
  { title: "e-mail", value: "string email" },
];
const propertyOf = (key: string): JsonObject => {
  const found = properties.value[key];
  return isObject(found ?? null) ? (found as JsonObject) : {};
};
function typeOf(key: string): string {
  const { type, format } = propertyOf(key);
  const both = typeof format === "string" ? `${String(type)} ${format}` : String(type ?? "string");
  return types.some(({ value }) => value === both) ? both : String(type ?? "string");
}
async function setType(key: string, next: string): Promise<void> {
  const [type, format] = next.split(" ");
  const path = ["inputs", "properties", key];
  await document.act({ do: "set", path: [...path, "type"], value: type as string });
  if (format !== undefined) await document.act({ do: "set", path: [...path, "format"], value: format });
  else if (propertyOf(key)["format"] !== undefined)
    await document.act({ do: "unset", path: [...path, "format"] });
}
function setField(key: string, field: string, value: string): void {
  const path = ["inputs", "properties", key, field];
  if (value.trim() === "") {
    if (propertyOf(key)[field] !== undefined) void document.act({ do: "unset", path });
    return;
  }
  void document.act({ do: "set", path, value: field === "title" ? value : typed(key, value) });
}
/** A default or a choice in the type of its input. */
function typed(key: string, text: string): Json {
  return (propertyOf(key)["type"] ?? "string") === "string" ? text : valueOfWords(text);
}
function setChoices(key: string, text: string): void {
  const path = ["inputs", "properties", key, "enum"];
  const list = text
    .split(/[,\n]/)
    .map((one) => one.trim())
    .filter(Boolean);
  if (list.length > 0) void document.act({ do: "set", path, value: list.map((one) => typed(key, one)) });
  else if (propertyOf(key)["enum"] !== undefined) void document.act({ do: "unset", path });
}
async function add(): Promise<void> {
  const key = name.value.trim();
  if (key === "" || properties.value[key] !== undefined) return;
  name.value = "";
  if (Object.keys(schema.value).length === 0)
    await document.act({
      do: "set",
      path: ["inputs"],
      value: { type: "object", required: [key], properties: { [key]: { type: "string" } } },
    });
  else {
    await document.act({ do: "set", path: ["inputs", "properties", key], value: { type: "string" } });
    await setRequired(key, true);
  }
}
async function setRequired(key: string, on: boolean): Promise<void> {
  const next = on ? [...new Set([...required.value, key])] : required.value.filter((one) => one !== key);
  if (next.length === 0) await document.act({ do: "unset", path: ["inputs", "required"] });
  else await document.act({ do: "set", path: ["inputs", "required"], value: next });
}
async function remove(key: string): Promise<void> {
  if (Object.keys(properties.value).length === 1)
    return void (await document.act({ do: "unset", path: ["inputs"] }));
  if (required.value.includes(key)) await setRequired(key, false);
  await document.act({ do: "unset", path: ["inputs", "properties", key] });
}
const choicesOf = (key: string): string => {
  const found = propertyOf(key)["enum"];
  return Array.isArray(found)
    ? found.map((one) => (typeof one === "string" ? one : printJson(one))).join(", ")
    : "";
};
const textOf = (value: Json | undefined): string =>
  value === undefined ? "" : typeof value === "string" ? value : printJson(value);
</script>

<template>
  <div class="inputs">
    <div class="head">
      <h3>Inputs</h3>
      <span class="dim">what a start must or may give</span>
      <button type="button" class="raw" @click="raw = !raw">
        {{ raw ? "as a table" : "as JSON Schema" }}
      </button>
    </div>
    <JsonField
      v-if="raw"
      :model-value="Object.keys(schema).length === 0 ? undefined : schema"
      label="inputs"
      @update:model-value="document.act({ do: 'set', path: ['inputs'], value: $event })"
    />
    <template v-else>
      <div class="scrolls">
        <table v-if="Object.keys(properties).length > 0" class="lines" aria-label="Inputs">
          <thead>
            <tr>
              <th>Name</th>
              <th>Type</th>
              <th>Title</th>
              <th>Required</th>
              <th>Default</th>
              <th>Choices</th>
              <th><span class="heard">Remove</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(_one, key) in properties" :key="key">
              <td class="mono">{{ key }}</td>
              <td class="type">
                <v-select
                  :model-value="typeOf(String(key))"
                  :items="types"
                  :aria-label="`Type of ${key}`"
                  @update:model-value="setType(String(key), $event)"
                />
              </td>
              <td>
                <TextInput
                  :model-value="textOf(propertyOf(String(key))['title'])"
                  :label="`Title of ${key}`"
                  :take="(text) => setField(String(key), 'title', text)"
                />
              </td>
              <td>
                <v-checkbox-btn
                  density="compact"
                  :model-value="required.includes(String(key))"
                  :aria-label="`${key} is required`"
                  @update:model-value="setRequired(String(key), $event === true)"
                />
              </td>
              <td>
                <TextInput
                  :model-value="textOf(propertyOf(String(key))['default'])"
                  :label="`Default of ${key}`"
                  :take="(text) => setField(String(key), 'default', text)"
                />
              </td>
              <td>
                <TextInput
                  :model-value="choicesOf(String(key))"
                  :label="`Choices of ${key}`"
                  hint="any"
                  :take="(text) => setChoices(String(key), text)"
                />
              </td>
              <td>
                <button type="button" class="dim" :aria-label="`Remove ${key}`" @click="remove(String(key))">
                  ×
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <form class="adding" @submit.prevent="add">
        <input
          v-model="name"
          class="mono"
          aria-label="Name of a new input"
          placeholder="another input"
          spellcheck="false"
        />
        <v-btn type="submit" size="small" :disabled="!name.trim()">Add input</v-btn>
      </form>
    </template>
  </div>
</template>

<style scoped>
.inputs {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 6px;
}
.scrolls {
  position: relative;
  overflow-x: auto;
}
.raw {
  margin-left: auto;
  color: var(--copper);
  text-decoration: underline;
}
td {
  padding: 2px 4px !important;
  vertical-align: middle !important;
}
th {
  padding: 2px 4px !important;
}
td input:not([type]),
.adding input {
  width: 100%;
  min-width: 0;
  padding: 3px 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: none;
  color: inherit;
  font: inherit;
}
.type {
  width: 128px;
  min-width: 128px;
}
.adding {
  display: flex;
  gap: 8px;
  max-width: 320px;
}
</style>
