<script setup lang="ts">
import { apisRoutes, driftRoutes, type ApiSummary, type Drift } from "@copper-kettle/contract";
import { mdiPlus } from "@mdi/js";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { useSorted } from "../logic/sorting.js";
import PageHead from "../parts/shared/PageHead.vue";
import SearchField from "../parts/shared/SearchField.vue";
import SortHead from "../parts/shared/SortHead.vue";

const apis = ref<ApiSummary[]>();
const drift = ref<Drift[]>([]);
const fault = ref("");
const search = ref("");
onMounted(async () => {
  try {
    const [list, seen] = await Promise.all([
      api.call(apisRoutes.listApis),
      api.call(driftRoutes.listDrift, { query: {} }),
    ]);
    drift.value = seen.drift;
    apis.value = list.apis;
  } catch (error) {
    fault.value = sentence(error);
  }
});
const drifts = computed(() => {
  const counts = new Map<string, number>();
  for (const { operation } of drift.value) {
    const [name = ""] = operation.split(".");
    counts.set(name, (counts.get(name) ?? 0) + 1);
  }
  return counts;
});
const found = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return (apis.value ?? []).filter((item) =>
    `${item.name} ${item.title} ${item.server ?? ""}`.toLowerCase().includes(wanted),
  );
});
const { sorting, sorted } = useSorted<ApiSummary>(
  () => found.value,
  {
    name: (item) => item.title,
    operations: (item) => item.operations,
    server: (item) => item.server ?? undefined,
    credential: (item) => item.credential ?? undefined,
    users: (item) => item.usedBy.length,
    drift: (item) => drifts.value.get(item.name) ?? 0,
  },
  { first: "name", greatestFirst: ["operations", "users", "drift"] },
);
</script>

<template>
  <div class="page">
    <PageHead title="APIs" help="apis">
      <template #actions>
        <SearchField v-model="search" label="Search" />
        <v-btn to="/add-api" color="primary" variant="flat" :prepend-icon="mdiPlus">Describe an API</v-btn>
      </template>
    </PageHead>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-progress-linear v-if="!apis && !fault" indeterminate />
    <v-card v-if="apis" class="pa-2">
      <p v-if="apis.length === 0" class="dim pa-2">
        No APIs yet. Paste an OpenAPI document, or one request from the API's documentation.
      </p>
      <p v-else-if="found.length === 0" class="dim pa-2">
        No API has “{{ search }}” in its name, title or server.
      </p>
      <table v-else class="lines">
        <thead>
          <tr>
            <SortHead :sorting="sorting" by="name">API</SortHead>
            <SortHead class="number" :sorting="sorting" by="operations">Operations</SortHead>
            <SortHead class="wide" :sorting="sorting" by="server">Server</SortHead>
            <SortHead class="wide" :sorting="sorting" by="credential">Credential</SortHead>
            <SortHead class="wide" :sorting="sorting" by="users">Used by</SortHead>
            <SortHead :sorting="sorting" by="drift">Drift</SortHead>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in sorted" :key="item.name" class="link">
            <td>
              <router-link class="whole" :to="`/apis/${item.name}`"
                ><b>{{ item.title }}</b> <span class="dim mono">{{ item.name }}</span></router-link
              >
            </td>
            <td class="number">{{ item.operations }}</td>
            <td class="wide mono">{{ item.server ?? "none" }}</td>
            <td class="wide">
              <router-link v-if="item.credential" class="above" :to="`/credentials/${item.credential}`">{{
                item.credential
              }}</router-link>
            </td>
            <td class="wide">{{ item.usedBy.join(", ") || "nothing" }}</td>
            <td>
              <span v-if="drifts.get(item.name)" class="text-warning"
                >{{ drifts.get(item.name) }} places</span
              >
            </td>
          </tr>
        </tbody>
      </table>
    </v-card>
  </div>
</template>
