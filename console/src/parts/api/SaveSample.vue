<script setup lang="ts">
import { samplesRoutes, type BodyOf } from "@copper-kettle/contract";
import { ref, watch } from "vue";
import { api, sentence } from "../../api.js";

/** Keeps a response as a sample, and its shape in the document. */
const props = defineProps<{
  apiName: string;
  operationId: string;
  status: number | null;
  /** Where the response is: a try, or a call of a run. */
  from: Pick<BodyOf<typeof samplesRoutes.saveSample>, "try" | "call">;
}>();
const emit = defineEmits<{ saved: [] }>();
const name = ref("");
const replace = ref(false);
const said = ref("");
const fault = ref("");
watch(
  () => JSON.stringify(props.from),
  () => (said.value = fault.value = ""),
);

async function save(): Promise<void> {
  fault.value = "";
  try {
    const sample = name.value.trim() || `response ${props.status ?? ""}`.trim();
    const { shaped } = await api.call(samplesRoutes.saveSample, {
      params: { name: props.apiName, id: props.operationId, sample },
      body: { ...props.from, shape: replace.value ? "replace" : "open" },
    });
    said.value = shaped
      ? `Saved as "${sample}". Its schema is in the document.`
      : `Saved as "${sample}". The document already has a schema for such responses, and was not changed.`;
    emit("saved");
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <form class="save" @submit.prevent="save">
    <v-text-field
      v-model="name"
      label="Name of the sample"
      :placeholder="`response ${status}`"
      class="name"
    />
    <v-btn type="submit">Save response</v-btn>
    <v-checkbox
      v-model="replace"
      label="Replace the documented schema with the schema of this response"
      density="compact"
      hide-details
    />
    <span v-if="said" class="text-success">{{ said }}</span>
    <span v-if="fault" class="text-error">{{ fault }}</span>
  </form>
</template>

<style scoped>
.save {
  display: flex;
  gap: 10px;
  align-items: end;
  flex-wrap: wrap;
}
.name {
  flex: 1 1 190px;
}
</style>
