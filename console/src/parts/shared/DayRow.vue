<script setup lang="ts">
import { computed } from "vue";
import { dayOf } from "../../logic/format.js";

/** The day as a heading in a list by time, where it is another than that of the row before. */
const props = defineProps<{ at: string; before?: string | undefined; columns: number }>();
const day = computed(() => dayOf(props.at));
</script>

<template>
  <tr v-if="before === undefined || dayOf(before) !== day">
    <th :colspan="columns" scope="rowgroup">
      {{ day }}
    </th>
  </tr>
</template>
