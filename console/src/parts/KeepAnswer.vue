<script setup lang="ts">
import { routes, type TryResult } from "@copper-kettle/contract";
import { ref, watch } from "vue";
import { api, sentence } from "../api.js";

/** Keeps an answer as a sample, and its shape in the document. */
const props = defineProps<{ apiName: string; operationId: string; result: TryResult }>();
const emit = defineEmits<{ kept: [] }>();
const name = ref("");
const replace = ref(false);
const said = ref("");
const fault = ref("");
watch(
  () => props.result,
  () => (said.value = fault.value = ""),
);

async function keep(): Promise<void> {
  fault.value = "";
  try {
    const sample = name.value.trim() || `answer ${props.result.status ?? ""}`.trim();
    const { shaped } = await api.call(routes.keepSample, {
      params: { name: props.apiName, id: props.operationId, sample },
      body: { try: props.result.id, shape: replace.value ? "replace" : "open" },
    });
    said.value = shaped
      ? `Kept as "${sample}"; its shape is in the document.`
      : `Kept as "${sample}". The document has a shape of its own for such answers, and was left as it is.`;
    emit("kept");
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <form class="keep" @submit.prevent="keep">
    <v-text-field
      v-model="name"
      label="Name of the sample"
      :placeholder="`answer ${result.status}`"
      class="name"
    />
    <v-btn type="submit">Keep this answer</v-btn>
    <v-checkbox v-model="replace" label="its shape over the document's" density="compact" hide-details />
    <span v-if="said" class="text-success">{{ said }}</span>
    <span v-if="fault" class="text-error">{{ fault }}</span>
  </form>
</template>

<style scoped>
.keep {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
.name {
  flex: 1 1 190px;
}
</style>
