<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import { computed } from "vue";
import { when } from "../logic/format.js";

/** What a run waits for, and what one may do about it. */
const props = defineProps<{ run: Run }>();
const on = computed(() => props.run.waitsOn);
const title = computed(() => {
  const name = on.value?.name ?? "";
  switch (on.value?.kind) {
    case "credential":
      return `Waits for a sign-in with ${name}`;
    case "lock":
      return `Waits for the lock "${name}"`;
    case "run":
      return "Waits for a run that it called";
    case "pace":
      return `Waits for the pace of ${name}`;
    default:
      return "";
  }
});
</script>

<template>
  <v-alert v-if="title" :type="on?.kind === 'credential' ? 'warning' : 'info'" :title="title">
    <template v-if="on?.kind === 'credential'">
      {{ run.message }}
      <router-link :to="`/credentials/${on.name}`">Sign in on its page</router-link>; then it goes on by
      itself.
    </template>
    <template v-else-if="on?.kind === 'lock'">
      One step of all runs may hold it at a time.
      <router-link to="/settings">Who holds it</router-link> stands in the settings; when it is free, this run
      goes on by itself.
    </template>
    <template v-else-if="on?.kind === 'run'">
      <router-link class="mono" :to="`/runs/${on.name}`">{{ on.name }}</router-link> has to end first.
    </template>
    <template v-else>It goes on by itself{{ run.wakeAt ? ` at ${when(run.wakeAt)}` : "" }}.</template>
  </v-alert>
</template>
