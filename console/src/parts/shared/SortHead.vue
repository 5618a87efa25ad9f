<script setup lang="ts">
import { computed } from "vue";
import type { Sorting } from "../../logic/sorting.js";

/** The head of a column by which a list can be ordered. */
const props = defineProps<{ sorting: Sorting; by: string }>();
const way = computed(() => {
  const { value } = props.sorting.order;
  return value === props.by ? "ascending" : value === `-${props.by}` ? "descending" : "none";
});
</script>

<template>
  <th :aria-sort="way">
    <button type="button" @click="sorting.by(by)">
      <slot />{{ way === "none" ? "" : way === "ascending" ? " ↑" : " ↓" }}
    </button>
  </th>
</template>

<style scoped>
button:hover {
  color: var(--copper);
}
</style>
