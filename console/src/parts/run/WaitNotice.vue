<script setup lang="ts">
import type { Run } from "@copper-kettle/contract";
import { computed } from "vue";
import { when } from "../../logic/format.js";

/** What a run waits for, and what one may do about it: one notice for each thing, however many steps wait for it. */
const props = defineProps<{ run: Run }>();
type Wait = Run["waits"][number];
const waits = computed(() => [
  ...new Map(props.run.waits.map((wait) => [`${wait.kind} ${wait.name}`, wait])).values(),
]);

function titleOf({ kind, name }: Wait): string {
  switch (kind) {
    case "credential":
      return `Waits for a sign-in with ${name}`;
    case "lock":
      return `Waits for the lock "${name}"`;
    case "run":
      return "Waits for a called run";
    case "turn":
      return "Waits for its turn";
    case "rate-limit":
      return `Waits for the rate limit of ${name}`;
    case "breakpoint":
      return `Paused before ${name}`;
  }
}
</script>

<template>
  <v-alert
    v-for="wait in waits"
    :key="`${wait.kind} ${wait.name}`"
    :type="wait.kind === 'credential' ? 'warning' : 'info'"
    :title="titleOf(wait)"
  >
    <template v-if="wait.kind === 'credential'">
      {{ wait.reason }}
      <router-link :to="`/credentials/${wait.name}`">Sign in on its page</router-link>. The run then continues
      by itself.
    </template>
    <template v-else-if="wait.kind === 'lock'">
      One step at a time may hold this lock. The run continues by itself when the lock is free.
      <router-link to="/settings/traffic">Show locks</router-link>
    </template>
    <template v-else-if="wait.kind === 'run'">
      <router-link class="mono" :to="`/runs/${wait.name}`">{{ wait.name }}</router-link> must end first.
    </template>
    <template v-else-if="wait.kind === 'turn'">
      The run <router-link class="mono" :to="`/runs/${wait.name}`">{{ wait.name }}</router-link> goes first.
    </template>
    <template v-else>The run resumes by itself{{ run.wakeAt ? ` at ${when(run.wakeAt)}` : "" }}.</template>
  </v-alert>
</template>
