<script setup lang="ts">
import { recordsRoutes, type ReadBack } from "@copper-kettle/contract";
import { printJson } from "@copper-kettle/core";
import { mdiOpenInNew } from "@mdi/js";
import { computed, ref, watch } from "vue";
import { api, sentence } from "../../api.js";

/** Where a person finds the record of a call, and whether what is there is what was sent. */
const props = defineProps<{ run: string; path: string; settled: boolean }>();
const link = ref<string | null>(null);
const operation = ref<string | null>(null);
const read = ref<ReadBack>();
const fault = ref("");
const busy = ref(false);
const host = computed(() => (link.value === null ? "" : new URL(link.value).host));
const other = computed(() => read.value?.fields.filter(({ same }) => !same) ?? []);

watch(
  () => [props.run, props.path, props.settled] as const,
  async ([run, path, settled]) => {
    link.value = operation.value = null;
    read.value = undefined;
    if (!settled) return;
    try {
      const found = await api.call(recordsRoutes.record, { params: { id: run }, query: { path } });
      if (path !== props.path) return;
      link.value = found.link;
      operation.value = found.readBack;
    } catch (error) {
      fault.value = sentence(error);
    }
  },
  { immediate: true },
);
async function readBack(): Promise<void> {
  busy.value = true;
  fault.value = "";
  try {
    read.value = await api.call(recordsRoutes.readBack, {
      params: { id: props.run },
      body: { path: props.path },
    });
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div v-if="link || operation || fault" class="record">
    <div class="d-flex ga-2 flex-wrap">
      <v-btn
        v-if="link"
        :href="link"
        target="_blank"
        rel="noreferrer"
        size="small"
        :append-icon="mdiOpenInNew"
        >Open in {{ host }}</v-btn
      >
      <v-btn v-if="operation" size="small" :loading="busy" @click="readBack">Read back</v-btn>
    </div>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <template v-if="read">
      <v-alert v-if="read.failure" type="warning"
        >{{ read.operation }}: {{ read.status ?? "no response" }}. {{ read.failure }}</v-alert
      >
      <v-alert v-else-if="other.length === 0" type="success"
        >{{ read.operation }} gives what was sent{{
          read.fields.length > 1 ? `, in all ${read.fields.length} fields` : ""
        }}.</v-alert
      >
      <v-alert v-else type="warning"
        >{{ read.operation }} gives something else in {{ other.length }} of
        {{ read.fields.length }} fields.</v-alert
      >
      <table v-if="read.fields.length > 0" class="lines">
        <thead>
          <tr>
            <th>Field</th>
            <th>Sent</th>
            <th>There</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="field in read.fields" :key="field.path" :class="{ 'text-warning': !field.same }">
            <td class="mono">{{ field.path || "body" }}</td>
            <td class="mono">{{ printJson(field.sent) }}</td>
            <td class="mono">{{ field.same ? "the same" : printJson(field.there) }}</td>
          </tr>
        </tbody>
      </table>
    </template>
  </div>
</template>

<style scoped>
.record {
  display: grid;
  gap: 8px;
  margin: 8px 0;
}
td {
  overflow-wrap: anywhere;
}
</style>
