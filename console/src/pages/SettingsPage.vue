<script setup lang="ts">
import { routes, type Activity } from "@copper-kettle/contract";
import { mdiLanConnect } from "@mdi/js";
import { onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import ActivityTable from "../parts/shared/ActivityTable.vue";
import ConstantsCard from "../parts/settings/ConstantsCard.vue";
import RateLimitsCard from "../parts/settings/RateLimitsCard.vue";
import NotificationsCard from "../parts/settings/NotificationsCard.vue";
import RetentionCard from "../parts/settings/RetentionCard.vue";

const activity = ref<Activity[]>([]);
const fault = ref("");

onMounted(async () => {
  try {
    activity.value = (await api.call(routes.listActivity, { query: { limit: 25 } })).activity;
  } catch (error) {
    fault.value = sentence(error);
  }
});
</script>

<template>
  <div class="page">
    <div class="head mb-3">
      <h1>Settings</h1>
      <v-btn to="/network" :prepend-icon="mdiLanConnect">Network</v-btn>
    </div>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <div class="two">
      <div class="column">
        <RetentionCard />
        <RateLimitsCard />
        <ConstantsCard />
      </div>
      <div class="column">
        <NotificationsCard />
        <v-card class="pa-4">
          <h2 class="mb-2">Activity</h2>
          <ActivityTable :activity="activity" with-name />
        </v-card>
      </div>
    </div>
  </div>
</template>

<style scoped>
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
</style>
