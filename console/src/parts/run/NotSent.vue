<script setup lang="ts">
import type { RecordedRequest } from "@copper-kettle/core";
import { computed } from "vue";
import type { Row } from "../../logic/waterfall.js";

/** The calls of a rehearsal that were not sent. */
const props = defineProps<{ rows: Row[] }>();
const emit = defineEmits<{ select: [path: string] }>();
const calls = computed(() =>
  props.rows
    .filter((row) => row.attempts.some((attempt) => attempt.pretended === "rehearsal"))
    .map((row) => ({ path: row.path, request: row.begun?.data["request"] as unknown as RecordedRequest })),
);
const bodyOf = (request: RecordedRequest): string =>
  typeof request.body === "string" ? request.body : request.body ? "(a body in pieces)" : "";
</script>

<template>
  <v-card class="pa-3">
    <h2>Rehearsal: {{ calls.length === 1 ? "1 call was" : `${calls.length} calls were` }} not sent</h2>
    <p v-if="calls.length === 0" class="dim">All its calls only read.</p>
    <table v-else class="lines" aria-label="What would have been sent">
      <tbody>
        <tr
          v-for="call in calls"
          :key="call.path"
          class="link"
          tabindex="0"
          @click="emit('select', call.path)"
        >
          <td class="mono text-no-wrap">{{ call.path }}</td>
          <td class="mono text-no-wrap">{{ call.request.method }}</td>
          <td class="mono what">
            <div class="cut">{{ call.request.url }} {{ bodyOf(call.request) }}</div>
          </td>
        </tr>
      </tbody>
    </table>
  </v-card>
</template>

<style scoped>
.what {
  max-width: 0;
  width: 80%;
}
</style>
