<script setup lang="ts">
import { routes, type OutputOf } from "@copper-kettle/contract";
import { printForPeople } from "@copper-kettle/core";
import { onBeforeUnmount, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { when } from "../logic/format.js";

/** What runs share: the pace of calls, and locks. */
const paces = ref<OutputOf<typeof routes.paces>["paces"]>([]);
const locks = ref<OutputOf<typeof routes.locks>["locks"]>([]);
const fault = ref("");

async function load(): Promise<void> {
  try {
    const [pace, lock] = await Promise.all([api.call(routes.paces), api.call(routes.locks)]);
    paces.value = pace.paces;
    locks.value = lock.locks;
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
const again = setInterval(() => void load(), 2_000);
onBeforeUnmount(() => clearInterval(again));
</script>

<template>
  <v-card class="pa-4 card">
    <h2>Pace of calls</h2>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <p v-if="paces.length === 0" class="dim">Nothing was called since the service started.</p>
    <table v-else class="lines" aria-label="Pace of calls">
      <thead>
        <tr>
          <th>Calls to</th>
          <th>With</th>
          <th>Pace</th>
          <th>Under way</th>
          <th>Waiting</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="pace in paces" :key="`${pace.target} ${pace.credential}`">
          <td>{{ pace.api ?? pace.target }}</td>
          <td>{{ pace.credential ?? "–" }}</td>
          <td>
            {{
              pace.calls === null
                ? "as fast as they come"
                : `${pace.calls} in ${printForPeople(pace.per ?? 1000)}`
            }}{{ pace.atOnce === null ? "" : `, ${pace.atOnce} at once` }}
            <span v-if="pace.pausedUntil" class="text-warning">none until {{ when(pace.pausedUntil) }}</span>
          </td>
          <td>{{ pace.under }}</td>
          <td>{{ pace.waiting }}</td>
        </tr>
      </tbody>
    </table>
    <h2>Locks</h2>
    <p v-if="locks.length === 0" class="dim">No step holds one.</p>
    <table v-else class="lines" aria-label="Locks">
      <tbody>
        <tr v-for="lock in locks" :key="lock.name">
          <td class="mono">{{ lock.name }}</td>
          <td>
            held by <router-link class="mono" :to="`/runs/${lock.run}`">{{ lock.run }}</router-link> at
            {{ lock.path }}
          </td>
          <td>{{ lock.waiting.length === 1 ? "1 run waits" : `${lock.waiting.length} runs wait` }}</td>
        </tr>
      </tbody>
    </table>
  </v-card>
</template>

<style scoped>
.card {
  display: grid;
  gap: 10px;
}
</style>
