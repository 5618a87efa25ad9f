<script setup lang="ts">
import { routes } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../api.js";

/** Pause of all, retention, backups. */
const paused = ref(false);
const days = ref("");
const runs = ref("");
const others = ref<Record<string, { days?: number | undefined; runs?: number | undefined }>>({});
const faults = ref<Record<string, string>>({});
const fault = ref("");
const said = ref("");
const busy = ref("");

async function act(what: string, work: () => Promise<string>): Promise<void> {
  busy.value = what;
  fault.value = said.value = "";
  faults.value = {};
  try {
    said.value = await work();
  } catch (error) {
    faults.value = fieldMessages(error);
    fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
onMounted(() =>
  act("load", async () => {
    const [home, kept] = await Promise.all([api.call(routes.home), api.call(routes.retention)]);
    paused.value = home.paused;
    days.value = kept.days === undefined ? "" : String(kept.days);
    runs.value = kept.runs === undefined ? "" : String(kept.runs);
    others.value = kept.workflows;
    return "";
  }),
);

const pause = (next: boolean): Promise<void> =>
  act("pause", async () => {
    paused.value = (await api.call(routes.pause, { body: { paused: next } })).paused;
    return paused.value
      ? "No run begins any more; those that act at the moment come to their end."
      : "Runs go on.";
  });
const keep = (): Promise<void> =>
  act("keep", async () => {
    await api.call(routes.putRetention, {
      body: {
        ...(days.value.trim() ? { days: Number(days.value) } : {}),
        ...(runs.value.trim() ? { runs: Number(runs.value) } : {}),
        workflows: others.value,
      },
    });
    return "Kept. What is older is forgotten within a minute.";
  });
const prune = (): Promise<void> =>
  act("prune", async () => {
    const gone = await api.call(routes.prune);
    return `${gone.runs} runs and ${gone.files} files were forgotten.`;
  });
const backup = (): Promise<void> =>
  act("backup", async () => {
    const made = await api.call(routes.backup, { body: {} });
    return `A copy of ${(made.bytes / 1e6).toFixed(1)} MB is in ${made.folder}. It holds the sealing key: keep it as you keep the service.`;
  });
</script>

<template>
  <v-card class="pa-4 card">
    <h2>Running</h2>
    <div class="d-flex ga-3 align-center flex-wrap">
      <v-btn :loading="busy === 'pause'" @click="pause(!paused)">{{
        paused ? "Go on with all runs" : "Pause all runs"
      }}</v-btn>
      <v-btn :loading="busy === 'backup'" @click="backup">Make a backup</v-btn>
    </div>
    <h3>How long ended runs are kept</h3>
    <form class="kept" novalidate @submit.prevent="keep">
      <v-text-field
        v-model="days"
        label="Days"
        inputmode="decimal"
        :error-messages="faults['days']"
        hide-details="auto"
      />
      <v-text-field
        v-model="runs"
        label="Runs of each workflow"
        inputmode="numeric"
        :error-messages="faults['runs']"
        hide-details="auto"
      />
      <v-btn type="submit" color="primary" variant="flat" :loading="busy === 'keep'">Keep</v-btn>
      <v-btn :loading="busy === 'prune'" @click="prune">Forget now</v-btn>
    </form>
    <p v-for="(one, name) in others" :key="name" class="dim">
      {{ name }}: {{ one.days === undefined ? "" : `${one.days} days` }}
      {{ one.runs === undefined ? "" : `${one.runs} runs` }} (by the command line)
    </p>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert v-if="said" type="success">{{ said }}</v-alert>
  </v-card>
</template>

<style scoped>
.card {
  display: grid;
  gap: 10px;
}
.kept {
  display: grid;
  grid-template-columns: 1fr 1fr auto auto;
  gap: 10px;
  align-items: center;
}
@media (max-width: 700px) {
  .kept {
    grid-template-columns: 1fr 1fr;
  }
}
</style>
