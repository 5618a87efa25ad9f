<script setup lang="ts">
import { ref, watch } from "vue";

/** The name of something that the service has: chosen from a list, or typed. It counts when one leaves the field. */
const props = defineProps<{
  modelValue: string;
  items: { value: string; title: string; props?: { subtitle: string } }[];
  label: string;
  clearable: boolean;
}>();
const emit = defineEmits<{ "update:modelValue": [name: string] }>();
const typed = ref<string | null>(props.modelValue);
const isFocused = ref(false);
watch(
  () => props.modelValue,
  (next) => {
    if (!isFocused.value) typed.value = next;
  },
);
function commit(): void {
  const name = (typed.value ?? "").trim();
  if (name !== props.modelValue) emit("update:modelValue", name);
}
/** What is chosen from the list counts at once; what is typed is typed to its end first. */
function taken(next: string | null): void {
  typed.value = next;
  if (next === null || props.items.some(({ value }) => value === next)) commit();
}
</script>

<template>
  <v-combobox
    :model-value="typed"
    :items="items"
    :return-object="false"
    :clearable="clearable"
    :aria-label="label"
    class="mono"
    @update:model-value="taken"
    @focus="isFocused = true"
    @blur="((isFocused = false), commit())"
    @keydown.enter="commit"
  />
</template>
