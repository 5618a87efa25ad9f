<script setup lang="ts">
import { parseJson, printJson, type Json, valueOfText } from "@copper-kettle/core";
import { ask } from "../../editor/asking.js";
import type { Worked } from "../../editor/messages.js";
import { onBeforeUnmount, ref, watch } from "vue";
import { useSession } from "../../editor/session.js";

/** Any value, typed as JSON or as the file writes it. What cannot be read is kept on the screen, and changes nothing. */
// A Json; declared as unknown, since an empty text would else be taken for true.
const props = defineProps<{ modelValue: unknown; label: string }>();
const json = (): Json | undefined => props.modelValue as Json | undefined;
const emit = defineEmits<{ "update:modelValue": [value: Json] }>();
const printed = (): string => (json() === undefined ? "" : printJson(json() ?? null, 2));
const text = ref(printed());
const fault = ref("");
// What somebody is typing stays, whatever changes elsewhere.
watch(printed, (next, before) => {
  if (text.value === before) text.value = next;
});
const { document, showsValues, loops, scope } = useSession();
/** What it becomes with the chosen run. */
const became = ref<Worked>();
let asked = 0;
watch(
  [printed, showsValues, scope.values, loops.locals],
  async ([code, isShown]) => {
    const mine = ++asked;
    const found =
      isShown && code.includes("${")
        ? await ask("work", { code, kind: "value" }).catch(() => undefined)
        : undefined;
    if (mine === asked) became.value = found;
  },
  { immediate: true },
);
document.typing.add(take);
onBeforeUnmount(() => {
  document.typing.delete(take);
  take();
});
/** JSON keeps each digit of a number; what is none may be as the file writes it. */
function valueIn(typed: string): Json {
  try {
    return parseJson(typed);
  } catch {
    return valueOfText(typed);
  }
}
function take(): void {
  if (text.value === printed()) return;
  fault.value = "";
  try {
    const value = valueIn(text.value);
    if (printJson(value) !== printJson(json() ?? null)) emit("update:modelValue", value);
  } catch (error) {
    fault.value = (error as Error).message;
  }
}
</script>

<template>
  <pre v-if="became?.value !== undefined" class="became mono" :aria-label="`${label}, as it is sent`">{{
    printJson(became.value, 2)
  }}</pre>
  <v-textarea
    v-else
    v-model="text"
    class="mono"
    rows="1"
    auto-grow
    max-rows="20"
    spellcheck="false"
    :aria-label="label"
    :error-messages="fault ? [fault] : []"
    @update:model-value="document.touch()"
    @blur="take"
  />
</template>

<style scoped>
.became {
  padding: 6px 10px;
  border: 1px solid var(--line);
  border-radius: 4px;
  color: rgb(var(--v-theme-success));
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 320px;
  overflow: auto;
}
</style>
