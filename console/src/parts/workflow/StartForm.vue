<script setup lang="ts">
import { runsRoutes, type OutlineStep, type RunOptionsInput } from "@copper-kettle/contract";
import type { JsonObject } from "@copper-kettle/core";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import InputFields from "../shared/InputFields.vue";
import TestOptions from "../shared/TestOptions.vue";
import { fieldsOf, formValues, initialValues, readForm } from "../../logic/schema-form.js";

const props = defineProps<{
  workflow: string;
  schema: JsonObject | null;
  published: boolean;
  draft: boolean;
  steps: OutlineStep[];
  /** Inputs with a name, of the file. */
  examples: { name: string; inputs: JsonObject }[];
  /** The newest run: its inputs may be taken again. */
  last: string | undefined;
}>();
const router = useRouter();
const fields = computed(() => fieldsOf(props.schema));
const values = ref<Record<string, unknown>>({});
const faults = ref<Record<string, string>>({});
const fault = ref("");
const busy = ref(false);
const options = ref<RunOptionsInput>({});
forgetMended(faults, () => ({ ...values.value }), fault);
watch(
  () => props.schema,
  (schema) => {
    for (const [name, value] of Object.entries(initialValues(schema))) values.value[name] ??= value;
  },
  { immediate: true },
);

const filled = ref<string | null>(null);
const lastInputs = "The inputs of the last run";
const fillings = computed(() => [
  ...props.examples.map(({ name }) => name),
  ...(props.last === undefined ? [] : [lastInputs]),
]);
async function fill(from: string | null): Promise<void> {
  if (from === null) return;
  const inputs =
    from === lastInputs && props.last !== undefined
      ? (await api.call(runsRoutes.run, { params: { id: props.last } })).inputs
      : props.examples.find(({ name }) => name === from)?.inputs;
  // What is masked is typed again.
  for (const [name, value] of Object.entries(formValues(props.schema, (inputs ?? {}) as JsonObject)))
    if (!String(value).includes("•••")) values.value[name] = value;
}

async function start(draft: boolean): Promise<void> {
  const read = readForm(fields.value, values.value);
  faults.value = read.faults;
  fault.value = "";
  if (Object.keys(read.faults).length > 0) return;
  busy.value = true;
  try {
    const run = await api.call(runsRoutes.startRun, {
      params: { name: props.workflow },
      body: {
        inputs: read.inputs,
        draft,
        ...(Object.keys(options.value).length > 0 ? { options: options.value } : {}),
      },
    });
    await router.push(`/runs/${run.id}`);
  } catch (error) {
    faults.value = fieldMessages(error);
    if (Object.keys(faults.value).length === 0) fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="start" novalidate @submit.prevent="start(!published)">
    <v-select
      v-if="fields.length > 0 && fillings.length > 0"
      v-model="filled"
      :items="fillings"
      label="Fill in from"
      clearable
      @update:model-value="fill"
    />
    <InputFields v-model="values" :fields="fields" :faults="faults" />
    <details>
      <summary>Test options: rehearse, set breakpoints, simulate faults</summary>
      <TestOptions v-model="options" class="mt-3" :steps="steps" />
    </details>
    <p v-if="fields.length === 0" class="dim">This workflow takes no inputs.</p>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div class="d-flex ga-2">
      <v-btn v-if="published" type="submit" color="primary" variant="flat" :loading="busy">Start run</v-btn>
      <v-btn
        v-if="draft"
        :color="published ? undefined : 'primary'"
        :variant="published ? 'tonal' : 'flat'"
        :loading="busy"
        @click="start(true)"
        >Run the draft</v-btn
      >
    </div>
  </form>
</template>

<style scoped>
.start {
  display: grid;
  gap: 12px;
  max-width: 760px;
}
summary {
  cursor: pointer;
  font-size: 0.875rem;
}
</style>
