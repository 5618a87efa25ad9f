<script setup lang="ts">
import { computed } from "vue";

/** A day, typed as 2027-06-01 or picked: the same in every browser. Empty for no day. */
const props = defineProps<{ modelValue: string }>();
const emit = defineEmits<{ "update:modelValue": [day: string] }>();

/** The day as it is in the browser's zone, which the picker counts in. */
const date = computed({
  get: () => (props.modelValue === "" ? null : new Date(`${props.modelValue}T00:00:00`)),
  set: (next: Date | null) => emit("update:modelValue", next ? dayText(next) : ""),
});
function dayText(day: Date): string {
  const two = (number: number): string => String(number).padStart(2, "0");
  return `${day.getFullYear()}-${two(day.getMonth() + 1)}-${two(day.getDate())}`;
}
// The attributes that the menu gives to the field stand on an element that may have none of them.
const noAttributes = {
  "aria-haspopup": undefined,
  "aria-expanded": undefined,
  "aria-controls": undefined,
  "aria-owns": undefined,
};
</script>

<template>
  <v-date-input
    v-model="date"
    input-format="yyyy-mm-dd"
    prepend-icon=""
    append-inner-icon="$calendar"
    :menu-props="{ activatorProps: noAttributes }"
    first-day-of-week="1"
    autocomplete="off"
  />
</template>
