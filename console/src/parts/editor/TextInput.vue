<script setup lang="ts">
import { ref, watch } from "vue";

/** A word on one line, that is taken when it is left or by Enter. What somebody is typing stays, whatever changes elsewhere. */
const props = defineProps<{
  modelValue: string;
  label: string;
  hint?: string;
  /** Takes what was typed; `false` says that it was refused, and what was there before stands there again. */
  take: (text: string) => unknown;
}>();
const text = ref(props.modelValue);
watch(
  () => props.modelValue,
  (next, before) => {
    if (text.value === before) text.value = next;
  },
);
async function leave(): Promise<void> {
  const [typed, before] = [text.value, props.modelValue];
  if (typed === before || (await props.take(typed)) !== false) return;
  if (text.value === typed) text.value = props.modelValue;
}
</script>

<template>
  <input
    v-model="text"
    :aria-label="label"
    :placeholder="hint"
    spellcheck="false"
    @change="leave"
    @keydown.enter.prevent="leave"
  />
</template>
