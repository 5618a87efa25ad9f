<script setup lang="ts">
import type { WorkflowDetail } from "@copper-kettle/contract";
import { mdiAlert, mdiCloseCircle, mdiInformationOutline } from "@mdi/js";
import { computed } from "vue";

type Problem = WorkflowDetail["problemList"][number];

/** What the check says of a file, the worst first by sight: errors, warnings, advice. */
const props = defineProps<{ problems: readonly Problem[] }>();
const emit = defineEmits<{ go: [line: number, column: number] }>();
const looks = {
  error: { tone: "text-error", icon: mdiCloseCircle },
  warning: { tone: "text-warning", icon: mdiAlert },
  advice: { tone: "dim", icon: mdiInformationOutline },
};
const heading = computed(() => {
  const counts = (["error", "warning", "advice"] as const).map((severity) => {
    const count = props.problems.filter((problem) => problem.severity === severity).length;
    return count === 0 ? "" : `${count} ${severity}${count === 1 || severity === "advice" ? "" : "s"}`;
  });
  return counts.filter(Boolean).join(", ");
});
</script>

<template>
  <v-card v-if="problems.length > 0" class="pa-3">
    <h2>{{ heading }}</h2>
    <ul>
      <li v-for="(problem, index) in problems" :key="index">
        <button type="button" @click="emit('go', problem.line, problem.column)">
          <v-icon
            :icon="looks[problem.severity].icon"
            :class="looks[problem.severity].tone"
            size="16"
            :aria-label="problem.severity"
          />
          <span class="mono place" :class="looks[problem.severity].tone"
            >{{ problem.line }}:{{ problem.column }}</span
          >
          {{ problem.message }}
        </button>
      </li>
    </ul>
  </v-card>
</template>

<style scoped>
ul {
  list-style: none;
}
button {
  text-align: left;
  padding: 2px 0;
}
.place {
  margin: 0 4px;
}
</style>
