<script setup lang="ts">
import { locksRoutes, rateLimitsRoutes, type OutputOf } from "@copper-kettle/contract";
import { printForPeople } from "@copper-kettle/core";
import { onBeforeUnmount, onMounted, ref } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";

/** What runs share: rate limits, and locks. */
const rateLimits = ref<OutputOf<typeof rateLimitsRoutes.rateLimits>["rateLimits"]>([]);
const locks = ref<OutputOf<typeof locksRoutes.locks>["locks"]>([]);
const fault = ref("");

async function load(): Promise<void> {
  try {
    const [limit, lock] = await Promise.all([
      api.call(rateLimitsRoutes.rateLimits),
      api.call(locksRoutes.locks),
    ]);
    rateLimits.value = limit.rateLimits;
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
  <!-- On a phone it goes sideways; without a link in it, only its own focus lets the keys do that. -->
  <v-card class="pa-4 card" tabindex="0" role="region" aria-label="Rate limits and locks">
    <h2>Rate limits</h2>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <p v-if="rateLimits.length === 0" class="dim">No calls since the service started.</p>
    <table v-else class="lines" aria-label="Rate limits">
      <thead>
        <tr>
          <th>Calls to</th>
          <th>With</th>
          <th>Rate limit</th>
          <th class="number">In flight</th>
          <th class="number">Waiting</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="limit in rateLimits" :key="`${limit.target} ${limit.credential}`">
          <td>{{ limit.api ?? limit.target }}</td>
          <td>{{ limit.credential ?? "–" }}</td>
          <td>
            {{ limit.calls === null ? "no limit" : `${limit.calls} per ${printForPeople(limit.per ?? 1000)}`
            }}{{ limit.parallel === null ? "" : `, ${limit.parallel} in flight` }}
            <span v-if="limit.pausedUntil" class="text-warning"
              >none until {{ when(limit.pausedUntil) }}</span
            >
          </td>
          <td class="number">{{ limit.under }}</td>
          <td class="number">{{ limit.waiting }}</td>
        </tr>
      </tbody>
    </table>
    <h2>Locks</h2>
    <p v-if="locks.length === 0" class="dim">Nothing is locked.</p>
    <table v-else class="lines" aria-label="Locks">
      <tbody>
        <tr v-for="lock in locks" :key="lock.name">
          <td class="mono">{{ lock.name }}</td>
          <td>
            locked by <router-link class="mono" :to="`/runs/${lock.run}`">{{ lock.run }}</router-link> at
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
