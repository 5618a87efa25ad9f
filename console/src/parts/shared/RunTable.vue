<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import DayRow from "./DayRow.vue";
import RunCells from "./RunCells.vue";
import RunColumns from "./RunColumns.vue";

/** The runs of one workflow. */
defineProps<{ runs: Run[]; empty: string }>();
</script>

<template>
  <p v-if="runs.length === 0" class="dim py-2">{{ empty }}</p>
  <table v-else class="lines">
    <RunColumns without-workflow />
    <tbody>
      <template v-for="(run, index) in runs" :key="run.id">
        <DayRow :at="run.createdAt" :before="runs[index - 1]?.createdAt" :columns="6" />
        <tr class="link">
          <RunCells :run="run" below-day />
        </tr>
      </template>
    </tbody>
  </table>
</template>
