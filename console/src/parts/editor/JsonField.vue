<script setup lang="ts">
import { parseJson, printJson, type Json, valueOfText } from "@copper-kettle/core";
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
const { document } = useSession();
document.typing.add(take);
onBeforeUnmount(() => {
  document.typing.delete(take);
  take();
});
function take(): void {
  if (text.value === printed()) return;
  fault.value = "";
  try {
    const value = /^\s*[[{"]/.test(text.value) ? parseJson(text.value) : valueOfText(text.value);
    if (printJson(value) !== printJson(json() ?? null)) emit("update:modelValue", value);
  } catch (error) {
    fault.value = (error as Error).message;
  }
}
</script>

<template>
  <v-textarea
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
