<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import { computed } from "vue";
import { when } from "../../logic/format.js";

/** What a run waits for, and what one may do about it. */
const props = defineProps<{ run: Run }>();
const on = computed(() => props.run.waitsFor);
const title = computed(() => {
  const name = on.value?.name ?? "";
  switch (on.value?.kind) {
    case "credential":
      return `Waits for a sign-in with ${name}`;
    case "lock":
      return `Waits for the lock "${name}"`;
    case "run":
      return "Waits for a called run";
    case "rate-limit":
      return `Waits for the rate limit of ${name}`;
    default:
      return "";
  }
});
</script>

<template>
  <v-alert v-if="title" :type="on?.kind === 'credential' ? 'warning' : 'info'" :title="title">
    <template v-if="on?.kind === 'credential'">
      {{ run.message }}
      <router-link :to="`/credentials/${on.name}`">Sign in on its page</router-link>The run then continues by
      itself.
    </template>
    <template v-else-if="on?.kind === 'lock'">
      One step at a time may hold this lock.
      <router-link to="/settings">Show locks</router-link> stands in the settings; when it is free, this run
      continues by itself.
    </template>
    <template v-else-if="on?.kind === 'run'">
      <router-link class="mono" :to="`/runs/${on.name}`">{{ on.name }}</router-link> must end first.
    </template>
    <template v-else>The run resumes by itself{{ run.wakeAt ? ` at ${when(run.wakeAt)}` : "" }}.</template>
  </v-alert>
</template>
