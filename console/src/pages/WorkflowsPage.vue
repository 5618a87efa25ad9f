<script setup lang="ts">
import { routes, type WorkflowSummary } from "@copper-kettle/contract";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { loadAhead } from "../logic/ahead.js";
import TimeText from "../parts/shared/TimeText.vue";
import { onRunChange } from "../logic/live.js";
import PageHead from "../parts/shared/PageHead.vue";
import StateMark from "../parts/shared/StateMark.vue";

const workflows = ref<WorkflowSummary[]>();
const fault = ref("");
const search = ref("");

async function load(): Promise<void> {
  try {
    workflows.value = (await api.call(routes.listWorkflows)).workflows;
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}
loadAhead(() => import("./WorkflowPage.vue"));
onMounted(load);
onRunChange(() => void load());

const found = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return (workflows.value ?? []).filter((item) =>
    `${item.name} ${item.title ?? ""}`.toLowerCase().includes(wanted),
  );
});
</script>

<template>
  <div class="page">
    <PageHead title="Workflows">
      <template #actions>
        <v-text-field v-model="search" label="Search" width="260" clearable hide-details />
        <v-btn to="/add-workflow" color="primary" variant="flat">New workflow</v-btn>
      </template>
    </PageHead>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!workflows && !fault" indeterminate />
    <v-card v-if="workflows" class="pa-2">
      <p v-if="workflows.length === 0" class="dim pa-2">
        No workflows yet. <router-link to="/add-workflow">Make the first one</router-link>, or push a file:
        <span class="mono">ckettle workflow push FILE</span>
      </p>
      <p v-else-if="found.length === 0" class="dim pa-2">
        No workflow has “{{ search }}” in its name or title.
      </p>
      <table v-else class="lines">
        <thead>
          <tr>
            <th>Workflow</th>
            <th>Version</th>
            <th class="wide">Started by</th>
            <th>Last runs, newest at the right</th>
            <th class="wide">Last start</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in found" :key="item.name" class="link">
            <td>
              <router-link :to="`/workflows/${item.name}`" class="whole"
                ><b>{{ item.title ?? item.name }}</b>
                <span class="mono dim">{{ item.name }}</span></router-link
              >
            </td>
            <td>
              <span v-if="item.published !== null">{{ item.published }}</span>
              <span v-else class="dim">not published</span>
              <div v-if="item.draft" class="text-warning">
                {{ item.problems > 0 ? `draft with ${item.problems} problems` : "newer draft" }}
              </div>
            </td>
            <td class="wide">{{ item.triggers.join(", ") || "nothing yet" }}</td>
            <td>
              <span class="strip">
                <StateMark v-for="run in item.recent" :key="run.id" :state="run.state" bare />
                <span v-if="item.recent.length === 0" class="dim">never</span>
              </span>
            </td>
            <td class="wide text-no-wrap"><TimeText :at="item.recent.at(-1)?.createdAt ?? null" /></td>
          </tr>
        </tbody>
      </table>
    </v-card>
  </div>
</template>

<style scoped>
.strip {
  display: inline-flex;
  gap: 1px;
}
@media (max-width: 700px) {
}
</style>
