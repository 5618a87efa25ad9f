<script setup lang="ts">
import { mostParts } from "@copper-kettle/core";
import type { ShownPart } from "../../editor/messages.js";

/** What an expression does: its parts, each with what it gives with the values at hand. */
defineProps<{ parts: ShownPart[] | string }>();
</script>

<template>
  <p v-if="typeof parts === 'string'" class="parts text-error">{{ parts }}</p>
  <div v-else class="parts" data-expression-parts>
    <table aria-label="Parts of the expression">
      <tbody>
        <tr v-for="(part, index) in parts" :key="index" :class="{ unused: part.unused }">
          <td class="mono" :style="{ paddingLeft: `${part.depth * 14}px` }">{{ part.text }}</td>
          <td>
            <span v-if="part.fault" class="dim">{{ part.fault }}</span>
            <span v-else class="mono gives">{{ part.shown ?? "nothing" }}</span>
            <span v-if="part.unused" class="dim"> · not needed here</span>
            <span v-if="part.first" class="dim"> · {{ part.first }}</span>
            <p v-if="part.help" class="dim">{{ part.help }}</p>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-if="parts.length >= mostParts" class="dim">The first {{ mostParts }} parts are shown.</p>
  </div>
</template>

<style scoped>
.parts {
  border-top: 1px solid var(--line);
  padding: 4px 8px;
  max-height: 260px;
  overflow: auto;
  font-size: 0.8125rem;
}
table {
  width: 100%;
  border-collapse: collapse;
}
td {
  vertical-align: top;
  padding: 2px 8px 2px 0;
  overflow-wrap: anywhere;
}
td:first-child {
  width: 50%;
}
tr + tr {
  border-top: 1px solid var(--line);
}
.gives {
  color: rgb(var(--v-theme-success));
}
.unused td:first-child,
.unused .gives {
  color: var(--dim);
}
</style>
