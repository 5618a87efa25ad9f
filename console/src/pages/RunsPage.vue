<script setup lang="ts">
import { routes, type Run } from "@copper-kettle/contract";
import { onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, sentence } from "../api.js";
import { onRunChange } from "../logic/live.js";
import RunTable from "../parts/shared/RunTable.vue";

const route = useRoute();
const router = useRouter();
const states = ["queued", "running", "waiting", "succeeded", "failed", "stopped", "unsure", "parked"];
const workflow = ref(String(route.query["workflow"] ?? ""));
const state = ref<string[]>(
  String(route.query["state"] ?? "")
    .split(",")
    .filter(Boolean),
);
const text = ref(String(route.query["text"] ?? ""));
const event = ref(String(route.query["event"] ?? ""));
const names = ref<string[]>([]);
const runs = ref<Run[]>();
const more = ref(false);
const fault = ref("");
const size = 50;

function filter(): { workflow?: string; state?: string; text?: string; event?: string } {
  return {
    ...(workflow.value ? { workflow: workflow.value } : {}),
    ...(state.value.length > 0 ? { state: state.value.join(",") } : {}),
    ...(text.value ? { text: text.value } : {}),
    ...(event.value ? { event: event.value } : {}),
  };
}

async function load(least = size): Promise<void> {
  try {
    const page = await api.call(routes.listRuns, {
      query: { ...filter(), limit: Math.min(200, Math.max(size, least)) },
    });
    runs.value = page.runs;
    more.value = page.more;
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}

async function loadMore(): Promise<void> {
  const last = runs.value?.at(-1);
  if (!last) return;
  try {
    const page = await api.call(routes.listRuns, { query: { ...filter(), before: last.id, limit: size } });
    runs.value = [...(runs.value ?? []), ...page.runs];
    more.value = page.more;
  } catch (error) {
    fault.value = sentence(error);
  }
}

onMounted(async () => {
  await load();
  names.value = (await api.call(routes.listWorkflows).catch(() => ({ workflows: [] }))).workflows.map(
    (item) => item.name,
  );
});
onRunChange(() => void load(runs.value?.length));
let typing: ReturnType<typeof setTimeout> | undefined;
watch([workflow, state, text, event], () => {
  clearTimeout(typing);
  typing = setTimeout(() => {
    void router.replace({ query: filter() });
    void load();
  }, 200);
});
</script>

<template>
  <div class="page">
    <div class="filters mb-3">
      <h1>Runs</h1>
      <v-select v-model="workflow" :items="names" label="Workflow" clearable @click:clear="workflow = ''" />
      <v-select v-model="state" :items="states" label="State" multiple clearable />
      <v-text-field v-model="text" label="Id or error text" clearable @click:clear="text = ''" />
    </div>
    <v-chip v-if="event" closable class="mb-3" @click:close="event = ''"
      >Started by the event {{ event }}</v-chip
    >
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!runs && !fault" indeterminate />
    <v-card v-if="runs" class="pa-2">
      <RunTable :runs="runs" empty="No runs found." />
      <div v-if="more" class="pa-2"><v-btn @click="loadMore">Older runs</v-btn></div>
    </v-card>
  </div>
</template>

<style scoped>
.filters {
  display: grid;
  grid-template-columns: 1fr 220px 260px 260px;
  gap: 12px;
  align-items: center;
}
@media (max-width: 900px) {
  .filters {
    grid-template-columns: 1fr;
  }
}
</style>
