<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import { took, when } from "../../logic/format.js";
import StateMark from "./StateMark.vue";

defineProps<{ runs: Run[]; empty: string; withoutWorkflow?: boolean }>();

function why(run: Run): string {
  if (run.state === "waiting" && run.wakeAt) return `until ${when(run.wakeAt)}`;
  const [wait] = run.waits;
  if (run.state === "waiting" && wait) return `for the ${wait.kind} ${wait.name}`;
  if (run.unsure.length > 0) return `${run.unsure[0]?.path}: ${run.unsure[0]?.reason}`;
  return run.error?.message ?? run.message ?? "";
}
const problems = ({ problems: count }: Run): string => `${count} ${count === 1 ? "problem" : "problems"}`;
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
      <tr v-for="run in runs" :key="run.id" class="link">
        <td>
          <div class="d-flex align-center ga-2">
            <router-link :to="`/runs/${run.id}`" class="whole"><StateMark :state="run.state" /></router-link>
            <span v-if="run.problems > 0" class="text-warning">{{ problems(run) }}</span>
          </div>
        </td>
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
/* The whole row is the link: it opens in a new tab as any link does. */
.link {
  position: relative;
}
.whole {
  color: inherit;
  text-decoration: none;
}
.whole::after {
  content: "";
  position: absolute;
  inset: 0;
}
</style>
