<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import { took } from "../../logic/format.js";
import { beganBy, problemsOf, whyOf } from "../../logic/run-words.js";
import StateMark from "./StateMark.vue";
import TimeText from "./TimeText.vue";
import WorkflowName from "./WorkflowName.vue";

/** One run in a list. The whole row is the link: it opens in a new tab as any link does. */
defineProps<{
  run: Run;
  /** What people call its workflow; without it the row stands in a list of one workflow. */
  title?: string;
  belowDay?: boolean;
}>();
</script>

<template>
  <td class="text-no-wrap state">
    <router-link :to="`/runs/${run.id}`" class="whole"
      ><StateMark :state="run.state" /><span class="heard"> run {{ run.id }}</span></router-link
    >
    <span v-if="run.problems > 0" class="text-warning ml-2">{{ problemsOf(run) }}</span>
  </td>
  <td v-if="title !== undefined" class="cut workflow">
    <WorkflowName :name="run.workflow" :title="title" />
  </td>
  <td class="text-no-wrap"><TimeText :at="run.createdAt" :below-day="belowDay" /></td>
  <td class="wide dim cut">{{ beganBy(run) }}</td>
  <td class="wide number text-no-wrap">{{ took(run) }}</td>
  <td class="wide number">{{ run.calls }}</td>
  <td class="wide why">
    <div class="cut" :title="whyOf(run)">{{ whyOf(run) }}</div>
  </td>
</template>

<style scoped>
.state > * {
  vertical-align: middle;
}
.why {
  max-width: 0;
  width: 34%;
}
.workflow {
  max-width: 290px;
}
</style>
