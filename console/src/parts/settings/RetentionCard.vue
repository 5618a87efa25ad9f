<script setup lang="ts">
import { backupsRoutes, homeRoutes, retentionRoutes, runsRoutes } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import ConfirmRemove from "../shared/ConfirmRemove.vue";

/** Pause of all, retention, backups. */
const paused = ref(false);
const days = ref("");
const runs = ref("");
const others = ref<Record<string, { days?: number | undefined; runs?: number | undefined }>>({});
const faults = ref<Record<string, string>>({});
const fault = ref("");
const said = ref("");
const busy = ref("");

forgetMended(faults, () => ({ days: days.value, runs: runs.value }), fault);
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
// Until it is known how things are, nothing can be changed: what is read late would take a change back on the screen.
const loaded = ref(false);
onMounted(() =>
  act("load", async () => {
    const [home, saved] = await Promise.all([api.call(homeRoutes.home), api.call(retentionRoutes.retention)]);
    paused.value = home.paused;
    days.value = saved.days === undefined ? "" : String(saved.days);
    runs.value = saved.runs === undefined ? "" : String(saved.runs);
    others.value = saved.workflows;
    loaded.value = true;
    return "";
  }),
);

const pause = (next: boolean): Promise<void> =>
  act("pause", async () => {
    paused.value = (await api.call(runsRoutes.pause, { body: { paused: next } })).paused;
    return paused.value ? "All runs are paused. Runs that are active now finish." : "Runs continue.";
  });
const save = (): Promise<void> =>
  act("save", async () => {
    await api.call(retentionRoutes.putRetention, {
      body: {
        ...(days.value.trim() ? { days: Number(days.value) } : {}),
        ...(runs.value.trim() ? { runs: Number(runs.value) } : {}),
        workflows: others.value,
      },
    });
    return "Saved. Older runs are deleted within a minute.";
  });
const prune = (): Promise<void> =>
  act("prune", async () => {
    const gone = await api.call(retentionRoutes.prune);
    return `${gone.runs} runs and ${gone.files} files were deleted.`;
  });
const backup = (): Promise<void> =>
  act("backup", async () => {
    const made = await api.call(backupsRoutes.backup, { body: {} });
    return `A copy of ${(made.bytes / 1e6).toFixed(1)} MB is in ${made.folder}. The sealing key is not in it: store a copy of it elsewhere.`;
  });
</script>

<template>
  <v-card class="pa-4 card">
    <h2>Service</h2>
    <div class="d-flex ga-3 align-center flex-wrap">
      <v-btn :loading="busy === 'pause'" :disabled="!loaded" @click="pause(!paused)">{{
        paused ? "Resume all runs" : "Pause all runs"
      }}</v-btn>
      <v-btn :loading="busy === 'backup'" :disabled="!loaded" @click="backup">Make a backup</v-btn>
    </div>
    <h3>Retention</h3>
    <form class="pair" novalidate @submit.prevent="save">
      <v-text-field
        v-model="days"
        label="Delete ended runs after days"
        inputmode="decimal"
        :error-messages="faults['days']"
        hide-details="auto"
      />
      <v-text-field
        v-model="runs"
        label="Runs to retain per workflow"
        inputmode="numeric"
        :error-messages="faults['runs']"
        hide-details="auto"
      />
      <div class="buttons">
        <v-btn type="submit" color="primary" variant="flat" :loading="busy === 'save'" :disabled="!loaded"
          >Save</v-btn
        >
        <ConfirmRemove
          title="Delete old runs now"
          :consequences="[
            'Runs that are older than the saved retention allows are deleted with their files. They cannot be restored.',
          ]"
          :busy="busy === 'prune'"
          :disabled="!loaded"
          @confirmed="prune"
        />
      </div>
    </form>
    <p v-for="(one, name) in others" :key="name" class="dim">
      {{ name }}: {{ one.days === undefined ? "" : `${one.days} days` }}
      {{ one.runs === undefined ? "" : `${one.runs} runs` }} (set by the command line)
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
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  grid-column: 1 / -1;
}
</style>
