<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import RunCells from "./RunCells.vue";
import RunColumns from "./RunColumns.vue";

defineProps<{ runs: Run[]; empty: string; withoutWorkflow?: boolean }>();
</script>

<template>
  <p v-if="runs.length === 0" class="dim py-2">{{ empty }}</p>
  <table v-else class="lines">
    <RunColumns :without-workflow="withoutWorkflow" />
    <tbody>
      <tr v-for="run in runs" :key="run.id" class="link">
        <RunCells :run="run" :without-workflow="withoutWorkflow" />
      </tr>
    </tbody>
  </table>
</template>
