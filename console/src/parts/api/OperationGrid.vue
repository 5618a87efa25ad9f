<script setup lang="ts">
import type { JsonObject } from "@copper-kettle/core";
import { computed, ref } from "vue";
import { cell, gridRows, withFixed, withOpen, withTitle, type GridRow } from "../../logic/operation-grid.js";

/** Parameters and fields of the body in one grid; several are fixed or opened at once. */
const props = defineProps<{ operation: JsonObject }>();
const emit = defineEmits<{ "update:operation": [operation: JsonObject] }>();
const rows = computed(() => gridRows(props.operation));
const marked = ref<string[]>([]);
const chosen = computed(() => rows.value.filter(({ key }) => marked.value.includes(key)));
const rest = computed(() =>
  rows.value.filter(({ key, fixed }) => !marked.value.includes(key) && fixed === undefined),
);
const put = (next: JsonObject): void => emit("update:operation", next);
const titled = (row: GridRow, event: Event): void =>
  put(withTitle(props.operation, row, (event.target as HTMLInputElement).value));
</script>

<template>
  <div v-if="rows.length > 0" class="grid">
    <div class="scrolls">
      <table class="lines" aria-label="Parameters and fields">
        <thead>
          <tr>
            <th><span class="sr">Marked</span></th>
            <th>Place</th>
            <th>Name</th>
            <th>Title</th>
            <th>Default</th>
            <th>Fixed</th>
            <th>Choices</th>
            <th>Example</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.key">
            <td>
              <v-checkbox-btn
                v-model="marked"
                density="compact"
                :value="row.key"
                :aria-label="`Mark ${row.key}`"
              />
            </td>
            <td>{{ row.place }}</td>
            <td class="mono">{{ row.name }}{{ row.required ? " *" : "" }}</td>
            <td>
              <input
                class="title"
                :value="row.title"
                :aria-label="`What people call ${row.key}`"
                @change="titled(row, $event)"
              />
            </td>
            <td class="mono">{{ cell(row.default) }}</td>
            <td class="mono">{{ cell(row.fixed) }}</td>
            <td class="mono">{{ row.choices.map(cell).join(", ") }}</td>
            <td class="mono">{{ cell(row.example) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
    <div class="d-flex ga-2 flex-wrap">
      <v-btn size="small" :disabled="chosen.length === 0" @click="put(withFixed(operation, chosen))"
        >Fix the marked</v-btn
      >
      <v-btn size="small" :disabled="chosen.length === 0" @click="put(withOpen(operation, chosen))"
        >Open the marked</v-btn
      >
      <v-btn
        size="small"
        :disabled="chosen.length === 0 || rest.length === 0"
        @click="put(withFixed(operation, rest))"
        >Fix the rest at these values</v-btn
      >
    </div>
    <p class="dim">
      A * is required. What is fixed is sent with its value in the example, and nobody is asked for it.
    </p>
  </div>
</template>

<style scoped>
.grid {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
}
.scrolls {
  overflow-x: auto;
}
.scrolls td,
.scrolls th {
  padding-inline: 4px;
}
.scrolls td:nth-child(2),
.scrolls td:nth-child(3) {
  white-space: nowrap;
}
.scrolls td:nth-child(n + 5) {
  overflow-wrap: anywhere;
}
.title {
  width: 100%;
  min-width: 6rem;
  border: none;
  border-bottom: 1px solid rgb(var(--v-theme-surface-variant));
  color: inherit;
}
.sr {
  position: absolute;
  clip-path: inset(50%);
}
</style>
