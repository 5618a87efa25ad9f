<script setup lang="ts">
import { routes, type ApiSummary, type Drift } from "@copper-kettle/contract";
import { mdiPlus } from "@mdi/js";
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../api.js";

const router = useRouter();
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
    <div class="head mb-3">
      <h1>APIs</h1>
      <v-btn to="/add-api" color="primary" variant="flat" :prepend-icon="mdiPlus">Describe an API</v-btn>
    </div>
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
          <tr
            v-for="item in apis"
            :key="item.name"
            class="link"
            tabindex="0"
            @click="router.push(`/apis/${item.name}`)"
            @keydown.enter="router.push(`/apis/${item.name}`)"
          >
            <td>
              <router-link class="font-weight-medium" :to="`/apis/${item.name}`">{{
                item.title
              }}</router-link>
              <div class="dim mono">{{ item.name }}</div>
            </td>
            <td>{{ item.operations }}</td>
            <td class="wide mono">{{ item.server ?? "none" }}</td>
            <td class="wide">
              <router-link v-if="item.credential" :to="`/credentials/${item.credential}`" @click.stop>{{
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
