<script setup lang="ts">
import { activityRoutes, type Activity } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, sentence } from "../../api.js";
import ActivityTable from "../shared/ActivityTable.vue";

/** Who changed what, the newest first. */
const activity = ref<Activity[]>();
const hasMore = ref(false);
const fault = ref("");
const size = 100;

async function load(before?: number): Promise<void> {
  try {
    const page = await api.call(activityRoutes.listActivity, {
      query: { limit: size, ...(before === undefined ? {} : { before }) },
    });
    activity.value = [...(before === undefined ? [] : (activity.value ?? [])), ...page.activity];
    hasMore.value = page.activity.length === size;
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(() => load());
</script>

<template>
  <v-card class="pa-4">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!activity && !fault" indeterminate />
    <p v-if="activity?.length === 0" class="dim">Nobody has changed anything yet.</p>
    <ActivityTable v-if="activity && activity.length > 0" :activity="activity" with-name />
    <v-btn v-if="hasMore" class="mt-2" @click="load(activity?.at(-1)?.id)">Older</v-btn>
  </v-card>
</template>
