<script setup lang="ts">
import { workflowsRoutes, type WorkflowSummary } from "@copper-kettle/contract";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { loadAhead } from "../logic/ahead.js";
import TimeText from "../parts/shared/TimeText.vue";
import { onRunChange } from "../logic/live.js";
import { problemsOf } from "../logic/run-words.js";
import { useSorted } from "../logic/sorting.js";
import PageHead from "../parts/shared/PageHead.vue";
import SearchField from "../parts/shared/SearchField.vue";
import SortHead from "../parts/shared/SortHead.vue";
import WorkflowName from "../parts/shared/WorkflowName.vue";
import StateMark from "../parts/shared/StateMark.vue";

const workflows = ref<WorkflowSummary[]>();
const fault = ref("");
const search = ref("");

async function load(): Promise<void> {
  try {
    workflows.value = (await api.call(workflowsRoutes.listWorkflows)).workflows;
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}
loadAhead(async () => {
  await import("./WorkflowPage.vue");
  await (await import("../editor/warm.js")).warm();
});
onMounted(load);
onRunChange(() => void load());

const found = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return (workflows.value ?? []).filter((item) =>
    `${item.name} ${item.title ?? ""}`.toLowerCase().includes(wanted),
  );
});
const failed = ({ recent }: WorkflowSummary): number =>
  recent.filter(({ state }) => state === "failed" || state === "unsure").length;
const { sorting, sorted } = useSorted<WorkflowSummary>(
  () => found.value,
  {
    name: (item) => item.title ?? item.name,
    version: (item) => item.published ?? undefined,
    starts: (item) => item.triggers.join(", ") || undefined,
    failures: failed,
    last: (item) => item.recent.at(-1)?.createdAt,
  },
  { first: "name", greatestFirst: ["version", "failures", "last"] },
);
</script>

<template>
  <div class="page">
    <PageHead title="Workflows" times help="workflow-file">
      <template #actions>
        <SearchField v-model="search" label="Search" />
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
            <SortHead :sorting="sorting" by="name">Workflow</SortHead>
            <SortHead class="number" :sorting="sorting" by="version">Version</SortHead>
            <SortHead class="wide" :sorting="sorting" by="starts">Started by</SortHead>
            <SortHead :sorting="sorting" by="failures">{{
              /failures/.test(sorting.order.value)
                ? "Last runs, by failures"
                : "Last runs, newest at the right"
            }}</SortHead>
            <SortHead class="wide" :sorting="sorting" by="last">Last start</SortHead>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in sorted" :key="item.name" class="link">
            <td>
              <router-link :to="`/workflows/${item.name}`" class="whole"
                ><WorkflowName :name="item.name" :title="item.title ?? item.name"
              /></router-link>
            </td>
            <td class="number">
              <span v-if="item.published !== null">{{ item.published }}</span>
              <span v-else class="dim">not published</span>
              <div v-if="item.draft" class="text-warning">
                {{ item.problems > 0 ? `draft with ${problemsOf(item)}` : "newer draft" }}
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
</style>
