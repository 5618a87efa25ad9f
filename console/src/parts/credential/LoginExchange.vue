<script setup lang="ts">
import type { CredentialDetail } from "@copper-kettle/contract";
import { computed } from "vue";
import { when } from "../../logic/format.js";
import JsonTree from "../shared/JsonTree.vue";

const props = defineProps<{ login: NonNullable<CredentialDetail["login"]> }>();
const last = computed(() => props.login.last);
const paused = computed(() => {
  const until = props.login.pausedUntil;
  return until !== null && Date.parse(until) > Date.now() ? until : undefined;
});
</script>

<template>
  <div v-if="last">
    <div>
      {{ when(last.at) }}: <span class="mono">{{ last.request.method }} {{ last.request.url }}</span>
      →
      <b>{{ last.response ? last.response.status : "no response" }}</b>{{
        last.took === null ? "" : `, ${last.took} ms`
      }}
    </div>
    <div v-if="last.failure" class="text-error">{{ last.failure }}</div>
    <div v-if="paused">
      None is tried before {{ when(paused) }}, so that the account is not locked. <i>Check now</i> tries at
      once.
    </div>
    <details>
      <summary class="dim">Exchange, its values masked</summary>
      <div class="mono lines">
        <div v-for="(value, name) in last.request.headers" :key="name">{{ name }}: {{ value }}</div>
        <div v-if="last.request.body !== null">{{ last.request.body }}</div>
      </div>
      <JsonTree v-if="last.response" :value="{ headers: last.response.headers, body: last.response.body }" />
    </details>
  </div>
</template>

<style scoped>
.lines {
  overflow-wrap: anywhere;
  padding: 4px 0;
}
</style>
