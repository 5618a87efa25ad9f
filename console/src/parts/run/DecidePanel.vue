<script setup lang="ts">
import { routes, type Run } from "@copper-kettle/contract";
import { parseJson, type Decision, type Json } from "@copper-kettle/core";
import { ref } from "vue";
import { api, sentence } from "../../api.js";

const props = defineProps<{ run: Run }>();
const emit = defineEmits<{ decided: [] }>();
/** The response that was typed for each call, and what is wrong with it, by the call's path. */
const typed = ref<Record<string, string>>({});
const faults = ref<Record<string, string>>({});
const busy = ref(false);
const choices: { decision: Decision; label: string; help: string }[] = [
  {
    decision: "happened",
    label: "It went through, continue",
    help: "The run continues with the response entered below, or with status 200.",
  },
  {
    decision: "again",
    label: "It did not, send it again",
    help: "The call is sent once more.",
  },
  {
    decision: "skip",
    label: "Continue without it",
    help: "Steps that read its outcome see it as absent.",
  },
  { decision: "stop", label: "Stop the run", help: "The run ends here." },
];

async function decide({ path, attempt }: Run["unsure"][number], decision: Decision): Promise<void> {
  const outcome = typed.value[path]?.trim() ?? "";
  delete faults.value[path];
  let given: Json | undefined;
  try {
    given = decision === "happened" && outcome ? parseJson(outcome) : undefined;
  } catch (error) {
    faults.value[path] = `The response is not JSON: ${(error as Error).message}`;
    return;
  }
  busy.value = true;
  try {
    await api.call(routes.decideRun, {
      params: { id: props.run.id },
      body: { decision, path, attempt, ...(given === undefined ? {} : { outcome: given }) },
    });
    delete typed.value[path];
    emit("decided");
  } catch (error) {
    faults.value[path] = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card v-for="item in run.unsure" :key="item.path" class="pa-3 panel">
    <p>
      We cannot tell whether <strong class="mono">{{ item.path }}</strong> was carried out. {{ item.reason }}
    </p>
    <p>Check in the API whether it was, then choose:</p>
    <div class="choices">
      <template v-for="choice in choices" :key="choice.decision">
        <v-btn :disabled="busy" @click="decide(item, choice.decision)">{{ choice.label }}</v-btn>
        <span class="dim">{{ choice.help }}</span>
      </template>
    </div>
    <v-textarea
      v-model="typed[item.path]"
      label="The API's response, if you know it (optional, JSON). Left empty: status 200, no body."
      rows="2"
      auto-grow
      class="mono"
      placeholder='{ "status": 201, "body": { "id": "g-9" } }'
    />
    <v-alert v-if="faults[item.path]" type="error">{{ faults[item.path] }}</v-alert>
  </v-card>
</template>

<style scoped>
.choices {
  display: grid;
  grid-template-columns: max-content 1fr;
  align-items: center;
  gap: 6px 12px;
}
.panel {
  display: grid;
  gap: 10px;
  border-left: 4px solid rgb(var(--v-theme-warning)) !important;
}
</style>
