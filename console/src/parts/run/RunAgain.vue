<script setup lang="ts">
import { byHandRoutes, type RunDetail, type RunOptionsInput } from "@copper-kettle/contract";
import { parseJson, printJson, type JsonObject } from "@copper-kettle/core";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../../api.js";
import { isInLoop } from "../../logic/outline.js";
import TestOptions from "../shared/TestOptions.vue";

/** Starts a run with what an earlier one was given: whole, from a step on, or for the failed items of a loop. */
const props = defineProps<{ run: RunDetail; from: string; loops: string[] }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();

type What = "whole" | "from" | "failed";
const what = ref<What>(props.from ? "from" : "whole");
const step = ref<string | null>(props.from || null);
const loop = ref<string | null>(props.loops[0] ?? null);
// The entries of the run may come after this was opened.
watch(
  () => props.loops,
  (loops) => (loop.value ??= loops[0] ?? null),
);
const version = ref<"then" | "now" | "draft">("then");
const shown = printJson(props.run.inputs, 2);
const inputs = ref(shown);
const newKeys = ref(false);
const options = ref<RunOptionsInput>({});
const fault = ref("");
const busy = ref(false);

const starts = computed(() =>
  props.run.steps.map(({ name }) => name).filter((name) => !isInLoop(props.run.steps, name)),
);
const kinds = computed(() => [
  { value: "whole", title: "from the top" },
  { value: "from", title: "from a step on, reusing the results before it" },
  ...(props.loops.length > 0
    ? [{ value: "failed", title: "the failed items of a loop, and what follows" }]
    : []),
]);
const versions = [
  { value: "then", title: "the version that it had" },
  { value: "now", title: "the published version" },
  { value: "draft", title: "the draft" },
];

async function start(): Promise<void> {
  fault.value = "";
  let given: JsonObject | undefined;
  try {
    // Untouched, the true inputs are taken: what is shown here has its secrets masked.
    given = inputs.value === shown ? undefined : (parseJson(inputs.value) as JsonObject);
  } catch (error) {
    fault.value = `The inputs are not JSON: ${(error as Error).message}`;
    return;
  }
  busy.value = true;
  try {
    const started = await api.call(byHandRoutes.runAgain, {
      params: { id: props.run.id },
      body: {
        version: version.value,
        newKeys: newKeys.value,
        ...(given === undefined ? {} : { inputs: given }),
        ...(what.value === "from" && step.value ? { from: step.value } : {}),
        ...(what.value === "failed" && loop.value ? { failedItems: loop.value } : {}),
        ...(Object.keys(options.value).length > 0 ? { options: options.value } : {}),
      },
    });
    await router.push(`/runs/${started.id}`);
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card class="pa-4">
    <h2 class="mb-3">Run again</h2>
    <form class="again" @submit.prevent="start">
      <div class="pair">
        <v-select v-model="what" :items="kinds" label="What" hide-details />
        <v-select v-if="what === 'from'" v-model="step" :items="starts" label="From the step" hide-details />
        <v-select
          v-else-if="what === 'failed'"
          v-model="loop"
          :items="loops"
          label="Of the loop"
          hide-details
        />
        <v-select v-else v-model="version" :items="versions" label="Which version" hide-details />
      </div>
      <v-select
        v-if="what !== 'whole'"
        v-model="version"
        :items="versions"
        label="Which version"
        hide-details
      />
      <v-textarea v-model="inputs" label="Inputs (JSON)" rows="3" auto-grow class="mono" hide-details />
      <v-checkbox
        v-model="newKeys"
        label="Use new idempotency keys (the API treats these calls as new, not as repeats)"
        density="compact"
        hide-details
      />
      <details>
        <summary>Test options: rehearse, set breakpoints, simulate faults</summary>
        <TestOptions v-model="options" class="mt-3" :steps="run.steps" />
      </details>
      <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
      <div class="d-flex ga-2">
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">Start run</v-btn>
        <v-btn @click="emit('close')">Cancel</v-btn>
      </div>
    </form>
  </v-card>
</template>

<style scoped>
.again {
  display: grid;
  gap: 12px;
}
summary {
  cursor: pointer;
  font-size: 0.875rem;
}
</style>
