<script setup lang="ts">
import type { OutlineStep, RunOptionsInput } from "@copper-kettle/contract";
import { computed, reactive, watch } from "vue";

/** How a run by hand departs from a plain one. */
const props = defineProps<{ steps: OutlineStep[] }>();
const options = defineModel<RunOptionsInput>({ default: () => ({}) });
const given = reactive({
  rehearsal: false,
  to: null as string | null,
  breakpoints: [] as string[],
  faultStep: null as string | null,
  fault: "503",
  times: "1",
});
const names = computed(() => props.steps.map(({ name }) => name));
const calls = computed(() => props.steps.filter(({ kind }) => kind === "request").map(({ name }) => name));
const faults = [
  ...["429", "500", "502", "503", "404"].map((value) => ({ value, title: `respond with ${value}` })),
  { value: "timeout", title: "sent, and no response in time" },
  { value: "connect", title: "connection refused" },
  { value: "cut", title: "sent, and the connection cut before the response" },
];

watch(
  given,
  () => {
    const next: RunOptionsInput = {};
    if (given.rehearsal) next.rehearsal = true;
    if (given.to) next.to = given.to;
    if (given.breakpoints.length > 0) next.breakpoints = [...given.breakpoints];
    if (given.faultStep) {
      const times = Math.max(1, Math.round(Number(given.times)) || 1);
      const status = Number(given.fault);
      next.faults = [
        status
          ? { step: given.faultStep, times, status }
          : { step: given.faultStep, times, failure: given.fault as "cut" | "connect" | "timeout" },
      ];
    }
    options.value = next;
  },
  { deep: true },
);
</script>

<template>
  <fieldset class="options" aria-label="Test options">
    <v-checkbox
      v-model="given.rehearsal"
      label="Rehearse: send only calls that read, and list the others"
      density="compact"
      hide-details
    />
    <div class="pair">
      <v-select v-model="given.to" :items="names" label="End after step" clearable hide-details />
      <v-select
        v-model="given.breakpoints"
        :items="names"
        label="Pause before step"
        multiple
        clearable
        hide-details
      />
    </div>
    <div class="fault">
      <v-select
        v-model="given.faultStep"
        :items="calls"
        label="Simulate a fault at step"
        clearable
        hide-details
      />
      <v-select
        v-model="given.fault"
        :items="faults"
        label="Which fault"
        :disabled="!given.faultStep"
        hide-details
      />
      <v-text-field
        v-model="given.times"
        label="How often"
        inputmode="numeric"
        :disabled="!given.faultStep"
        hide-details
      />
    </div>
  </fieldset>
</template>

<style scoped>
.options {
  border: 0;
  display: grid;
  gap: 10px;
  min-width: 0;
}
.fault {
  display: grid;
  grid-template-columns: 2fr 2fr 1fr;
  gap: 10px;
}
</style>
