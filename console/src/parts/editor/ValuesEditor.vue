<script setup lang="ts">
import {
  idsFromAddress,
  printJson,
  valueTyped,
  type Json,
  type JsonObject,
  type Path,
} from "@copper-kettle/core";
import { onBeforeUnmount, ref } from "vue";
import type { Offer } from "../../editor/offers.js";
import { focusField } from "../../editor/focus.js";
import { useSession } from "../../editor/session.js";
import AddressParts from "./AddressParts.vue";
import CodeField from "./CodeField.vue";
import FieldChips from "./FieldChips.vue";
import FieldRow from "./FieldRow.vue";
import JsonField from "./JsonField.vue";
import TextInput from "./TextInput.vue";

/** Names with values: of a query, of headers, of parameters, of what is set. A text may hold `${…}`. */
const props = defineProps<{
  path: Path;
  value: JsonObject;
  label: string;
  /** Names that are offered, with what each is. */
  offered?: Offer[];
}>();
const { document } = useSession();
const name = ref("");
const rows = ref<HTMLElement>();

async function add(wanted = name.value): Promise<void> {
  const key = wanted.trim();
  if (key === "") return;
  name.value = "";
  if (props.value[key] === undefined)
    await document.act({ do: "set", path: [...props.path, key], value: "" });
  await focusField(rows.value, key);
}
const set = (key: string, value: Json): void =>
  void document.act({ do: "set", path: [...props.path, key], value });
/** So long an address stays as it was typed before its parts are taken, in milliseconds: until it is whole. */
const whole = 300;
/** Takes the parts of the address that was typed last. */
let takeParts: (() => void) | undefined;
let timer: ReturnType<typeof setTimeout> | undefined;
/** What is typed into a field. An address of a page gives every parameter that its pattern names. */
function setTyped(key: string, written: string, before: Json): void {
  const about = aboutOf(key);
  const found = about?.ids && idsFromAddress(about.ids.patterns, written.trim());
  takeParts = undefined;
  clearTimeout(timer);
  set(key, valueTyped(written, about?.schema, before));
  if (!found) return;
  takeParts = () => {
    takeParts = undefined;
    for (const [name, id] of Object.entries(found)) set(name, valueTyped(id, aboutOf(name)?.schema, ""));
  };
  timer = setTimeout(() => takeParts?.(), whole);
}
onBeforeUnmount(() => {
  clearTimeout(timer);
  takeParts?.();
});
function remove(key: string): void {
  const isLast = Object.keys(props.value).length === 1;
  void document.act({ do: "unset", path: isLast ? props.path : [...props.path, key] });
}
async function renameKey(key: string, next: string): Promise<boolean> {
  const wanted = next.trim();
  if (wanted === "" || wanted === key || props.value[wanted] !== undefined) return false;
  return (await document.act({ do: "rename-key", path: [...props.path, key], key: wanted })) !== undefined;
}
/** A whole address of a page; one with an expression in it is meant as it stands. */
const isAddress = (one: Json): boolean => typeof one === "string" && /^\s*https?:\/\/[^\s$]+\s*$/.test(one);
const aboutOf = (key: string) => props.offered?.find((one) => one.name === key);
</script>

<template>
  <div ref="rows" class="values">
    <template v-for="(one, key) in value" :key="key">
      <FieldRow :name="String(key)" removable @remove="remove(String(key))">
        <template #label>
          <span v-if="aboutOf(String(key))" class="name mono" :title="aboutOf(String(key))?.about"
            >{{ key }}<span v-if="aboutOf(String(key))?.required" class="dim"> *</span></span
          >
          <TextInput
            v-else
            class="name mono"
            :model-value="String(key)"
            :label="`Name of ${key}`"
            :take="(next) => renameKey(String(key), next)"
          />
        </template>
        <CodeField
          v-if="typeof one === 'string' || typeof one === 'number' || typeof one === 'boolean'"
          :model-value="typeof one === 'string' ? one : printJson(one)"
          kind="template"
          :label="String(key)"
          :path="[...path, String(key)]"
          :hint="aboutOf(String(key))?.about ?? ''"
          @update:model-value="setTyped(String(key), $event, one)"
        />
        <JsonField
          v-else
          :model-value="one"
          :label="String(key)"
          @update:model-value="set(String(key), $event)"
        />
      </FieldRow>
      <AddressParts
        v-if="isAddress(one) && aboutOf(String(key))?.ids"
        :address="String(one).trim()"
        :parameter="String(key)"
        :operation="aboutOf(String(key))?.ids?.operation ?? ''"
        @marked="setTyped(String(key), $event, '')"
      />
    </template>
    <div class="adding">
      <FieldChips
        :offers="
          (offered ?? [])
            .filter(({ name: other }) => value[other] === undefined)
            .map(({ name: key, about: help, required }) => ({ key, help, required }))
        "
        starred
        @add="add"
      />
      <input
        v-model="name"
        class="name mono new"
        :placeholder="`add to ${label}`"
        :aria-label="`New name in ${label}`"
        spellcheck="false"
        @keydown.enter.prevent="add()"
        @blur="add()"
      />
    </div>
  </div>
</template>

<style scoped>
.values {
  display: grid;
  gap: 4px;
  min-width: 0;
}
.name {
  min-width: 0;
  padding: 4px 0;
  border: 0;
  border-bottom: 1px solid transparent;
  background: none;
  color: inherit;
  overflow: hidden;
  text-overflow: ellipsis;
}
input.name:hover,
input.name:focus {
  border-bottom-color: var(--copper);
  outline: none;
}
.new {
  width: 160px;
  border-bottom-color: var(--line);
}
.new::placeholder {
  color: var(--dim);
}
.adding {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  align-items: center;
}
</style>
