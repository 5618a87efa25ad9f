<script setup lang="ts">
import { routes, type ApiSummary, type Drift } from "@copper-kettle/contract";
import { mdiPlus } from "@mdi/js";
import { computed, onMounted, ref } from "vue";

import { api, sentence } from "../api.js";
import PageHead from "../parts/shared/PageHead.vue";

const apis = ref<ApiSummary[]>();
const drift = ref<Drift[]>([]);
const fault = ref("");
onMounted(async () => {
  try {
    const [list, seen] = await Promise.all([
      api.call(routes.listApis),
      api.call(routes.listDrift, { query: {} }),
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
</script>

<template>
  <div class="page">
    <PageHead title="APIs">
      <template #actions>
        <v-btn to="/add-api" color="primary" variant="flat" :prepend-icon="mdiPlus">Describe an API</v-btn>
      </template>
    </PageHead>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-progress-linear v-if="!apis && !fault" indeterminate />
    <v-card v-if="apis" class="pa-2">
      <p v-if="apis.length === 0" class="dim pa-2">
        No APIs yet. Paste an OpenAPI document, or one request from the API's documentation.
      </p>
      <table v-else class="lines">
        <thead>
          <tr>
            <th>API</th>
            <th>Operations</th>
            <th class="wide">Server</th>
            <th class="wide">Credential</th>
            <th class="wide">Used by</th>
            <th>Drift</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in apis" :key="item.name" class="link">
            <td>
              <router-link class="whole" :to="`/apis/${item.name}`"
                ><b>{{ item.title }}</b> <span class="dim mono">{{ item.name }}</span></router-link
              >
            </td>
            <td>{{ item.operations }}</td>
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

<style scoped>
.head {
  justify-content: space-between;
}
</style>
