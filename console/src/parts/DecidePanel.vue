<script setup lang="ts">
import { routes, type Run } from "@copper-kettle/contract";
import { parseJson, type Decision, type Json } from "@copper-kettle/core";
import { ref } from "vue";
import { api, sentence } from "../api.js";

const props = defineProps<{ run: Run }>();
const emit = defineEmits<{ decided: [] }>();
const outcome = ref("");
const fault = ref("");
const busy = ref(false);
const choices: { decision: Decision; label: string; help: string }[] = [
  {
    decision: "happened",
    label: "It happened",
    help: "The call arrived. The run goes on with the answer given below, or with status 200.",
  },
  { decision: "again", label: "Send again", help: "The call did not arrive, or a second one does no harm." },
  { decision: "skip", label: "Skip", help: "Go on without it; steps that read it see it as absent." },
  { decision: "stop", label: "Stop the run", help: "End the run here." },
];

async function decide({ path, attempt }: Run["unsure"][number], decision: Decision): Promise<void> {
  fault.value = "";
  let given: Json | undefined;
  try {
    given = decision === "happened" && outcome.value.trim() ? parseJson(outcome.value) : undefined;
  } catch (error) {
    fault.value = `The answer is no JSON: ${(error as Error).message}`;
    return;
  }
  busy.value = true;
  try {
    await api.call(routes.decideRun, {
      params: { id: props.run.id },
      body: { decision, path, attempt, ...(given === undefined ? {} : { outcome: given }) },
    });
    outcome.value = "";
    emit("decided");
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card v-for="item in run.unsure" :key="item.path" class="pa-3 panel">
    <p>
      Nobody knows whether the call of <strong class="mono">{{ item.path }}</strong> arrived.
      {{ item.reason }} Look at the other side, then decide:
    </p>
    <div class="d-flex flex-wrap ga-2">
      <v-btn
        v-for="choice in choices"
        :key="choice.decision"
        :disabled="busy"
        :title="choice.help"
        @click="decide(item, choice.decision)"
        >{{ choice.label }}</v-btn
      >
    </div>
    <v-textarea
      v-model="outcome"
      label="If it happened: what it answered (JSON, may be left empty)"
      rows="2"
      auto-grow
      class="mono"
      placeholder='{ "status": 201, "body": { "id": "g-9" } }'
    />
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
  </v-card>
</template>

<style scoped>
.panel {
  display: grid;
  gap: 10px;
  border-left: 4px solid rgb(var(--v-theme-warning)) !important;
}
</style>
