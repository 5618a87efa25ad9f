<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import { useRouter } from "vue-router";
import { took, when } from "../../logic/format.js";
import StateMark from "./StateMark.vue";

defineProps<{ runs: Run[]; empty: string; withoutWorkflow?: boolean }>();
const router = useRouter();

function why(run: Run): string {
  if (run.state === "waiting" && run.wakeAt) return `until ${when(run.wakeAt)}`;
  const [wait] = run.waits;
  if (run.state === "waiting" && wait) return `for the ${wait.kind} ${wait.name}`;
  if (run.unsure.length > 0) return `${run.unsure[0]?.path}: ${run.unsure[0]?.reason}`;
  return run.error?.message ?? run.message ?? "";
}
const open = (run: Run): void => void router.push(`/runs/${run.id}`);
</script>

<template>
  <p v-if="runs.length === 0" class="dim py-2">{{ empty }}</p>
  <table v-else class="lines">
    <thead>
      <tr>
        <th>State</th>
        <th v-if="!withoutWorkflow">Workflow</th>
        <th>Started</th>
        <th class="wide">Took</th>
        <th class="wide">Calls</th>
        <th class="wide"></th>
      </tr>
    </thead>
    <tbody>
      <tr
        v-for="run in runs"
        :key="run.id"
        class="link"
        tabindex="0"
        @click="open(run)"
        @keydown.enter="open(run)"
      >
        <td><StateMark :state="run.state" /></td>
        <td v-if="!withoutWorkflow">{{ run.workflow }}</td>
        <td class="text-no-wrap">{{ when(run.createdAt) }}</td>
        <td class="wide text-no-wrap">{{ took(run) }}</td>
        <td class="wide">{{ run.calls }}</td>
        <td class="wide why">
          <div class="cut">{{ why(run) }}</div>
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.why {
  max-width: 0;
  width: 50%;
}
@media (max-width: 700px) {
}
</style>
