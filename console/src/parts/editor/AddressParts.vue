<script setup lang="ts">
import { operationsRoutes } from "@copper-kettle/contract";
import { idsInAddress, operationName } from "@copper-kettle/core";
import { computed, ref } from "vue";
import { api, sentence } from "../../api.js";

/** An address of a page in a parameter that no pattern takes apart: whoever marks the id in it makes the pattern. */
const props = defineProps<{ address: string; parameter: string; operation: string }>();
const emit = defineEmits<{ marked: [id: string] }>();
const parts = computed(() => idsInAddress(props.address, props.parameter));
const fault = ref("");

async function mark(id: string, pattern: string): Promise<void> {
  const named = operationName(props.operation);
  if (!named) return;
  const params = { name: named.api, id: named.id };
  try {
    const { operation, revision } = await api.call(operationsRoutes.operationSource, { params });
    const patterns = [operation["x-ckettle-ids-from"] ?? []].flat();
    await api.call(operationsRoutes.putOperation, {
      params,
      body: { operation: { ...operation, "x-ckettle-ids-from": [...patterns, pattern] }, base: revision },
    });
    emit("marked", id);
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <div v-if="parts.length > 0" class="parts">
    <span class="dim"
      >Which part of it is {{ parameter }}? From then on, pasted addresses like this one give it.</span
    >
    <v-btn
      v-for="{ id, pattern } in parts"
      :key="pattern"
      size="small"
      class="mono"
      :title="pattern"
      @click="mark(id, pattern)"
      >{{ id }}</v-btn
    >
    <span v-if="fault" class="text-error" role="alert">{{ fault }}</span>
  </div>
</template>

<style scoped>
.parts {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
  padding: 2px 0;
}
</style>
