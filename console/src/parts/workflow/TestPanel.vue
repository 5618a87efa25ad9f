<script setup lang="ts">
import { routes } from "@copper-kettle/contract";
import { parseJson, printJson, type JsonObject } from "@copper-kettle/core";
import { onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";

/** Runs one step of the draft alone, with what an earlier run gave fixed for the others. */
const props = defineProps<{ workflow: string; step: string; inLoop: boolean; unsaved: boolean }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const runs = ref<{ value: string; title: string }[]>([]);
const fixedFrom = ref<string | null>(null);
const fixed = ref("{}");
const inputs = ref("{}");
const item = ref("0");
const fault = ref("");
const busy = ref(false);
/** How much of what fills the form is still on its way: it is not sent incomplete. */
const loading = ref(1);
let shown = "{}";

onMounted(async () => {
  try {
    const found = await api.call(routes.listRuns, { query: { workflow: props.workflow, limit: 30 } });
    runs.value = found.runs
      .filter(({ state }) => state !== "queued" && state !== "skipped")
      .map(({ id, createdAt, state }) => ({ value: id, title: `${when(createdAt)}, ${state} (${id})` }));
    fixedFrom.value = runs.value[0]?.value ?? null;
  } catch (error) {
    fault.value = sentence(error);
  }
  loading.value--;
});
watch(fixedFrom, async (id) => {
  if (!id) return;
  loading.value++;
  try {
    shown = printJson((await api.call(routes.run, { params: { id } })).inputs, 2);
    inputs.value = shown;
  } catch (error) {
    fault.value = sentence(error);
  }
  loading.value--;
});

async function test(): Promise<void> {
  fault.value = "";
  busy.value = true;
  try {
    const only = { step: props.step, ...(props.inLoop ? { item: Number(item.value) || 0 } : {}) };
    const values = parseJson(fixed.value) as JsonObject;
    const run = await api.call(routes.startRun, {
      params: { name: props.workflow },
      body: {
        inputs: parseJson(inputs.value) as JsonObject,
        draft: true,
        options: {
          only,
          ...(fixedFrom.value ? { fixedFrom: fixedFrom.value } : {}),
          ...(Object.keys(values).length > 0 ? { fixed: values } : {}),
        },
      },
    });
    await router.push(`/runs/${run.id}`);
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card class="pa-4">
    <h2 class="mb-2">Test {{ step }} alone</h2>
    <p class="dim mb-3">
      This sends a real request. The other steps are not run. Their results come from an earlier run.
    </p>
    <v-alert v-if="unsaved" type="warning" class="mb-3">Save or discard your changes first.</v-alert>
    <form class="testing" @submit.prevent="test">
      <div class="pair">
        <v-select
          v-model="fixedFrom"
          :items="runs"
          label="Results from run"
          clearable
          hide-details
          no-data-text="It never ran"
        />
        <v-text-field
          v-if="inLoop"
          v-model="item"
          label="Item of the loop, from 0"
          inputmode="numeric"
          hide-details
        />
      </div>
      <div class="pair">
        <v-textarea v-model="inputs" label="Inputs (JSON)" rows="2" auto-grow class="mono" hide-details />
        <v-textarea
          v-model="fixed"
          label="Override results (JSON, by step name)"
          rows="2"
          auto-grow
          class="mono"
          hide-details
        />
      </div>
      <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
      <div class="d-flex ga-2">
        <v-btn type="submit" color="primary" variant="flat" :disabled="unsaved || loading > 0" :loading="busy"
          >Test this step</v-btn
        >
        <v-btn @click="emit('close')">Cancel</v-btn>
      </div>
    </form>
  </v-card>
</template>

<style scoped>
.testing {
  display: grid;
  gap: 12px;
}
</style>
