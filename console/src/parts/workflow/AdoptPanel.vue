<script setup lang="ts">
import { apisRoutes, operationsRoutes } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";

/** Turns the inline call of a step into an operation of an API. */
const props = defineProps<{ workflow: string; step: string; unsaved: boolean; revision: number }>();
const emit = defineEmits<{ adopted: [said: string]; close: [] }>();
const apis = ref<string[]>([]);
const into = ref<string | null>(null);
const id = ref("");
const fault = ref("");
const busy = ref(false);
onMounted(async () => {
  try {
    apis.value = (await api.call(apisRoutes.listApis)).apis.map((one) => one.name);
  } catch (error) {
    fault.value = sentence(error);
  }
});
async function adopt(): Promise<void> {
  busy.value = true;
  fault.value = "";
  try {
    const adopted = await api.call(operationsRoutes.adoptStep, {
      params: { name: props.workflow },
      body: {
        step: props.step,
        api: into.value ?? "",
        base: props.revision,
        ...(id.value ? { id: id.value } : {}),
      },
    });
    emit("adopted", [`${props.step} calls ${adopted.operation} now.`, ...adopted.notes].join(" "));
  } catch (error) {
    fault.value = fieldMessages(error)["step"] ?? sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card class="pa-4">
    <h2 class="mb-2">Make an operation from {{ step }}</h2>
    <p class="dim mb-3">
      Method, path and parameters move into the document of an API. The step then calls the operation.
    </p>
    <v-alert v-if="unsaved" type="warning" class="mb-3">Save or discard your changes first.</v-alert>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <form class="adopting" @submit.prevent="adopt">
      <v-combobox
        v-model="into"
        :items="apis"
        label="API (an existing one or a new name)"
        density="compact"
        variant="outlined"
        hide-details
      />
      <v-text-field
        v-model="id"
        label="Id of the operation"
        placeholder="derived from its path"
        autocomplete="off"
      />
      <v-btn type="submit" color="primary" variant="flat" :disabled="!into || unsaved" :loading="busy">
        Create operation
      </v-btn>
      <v-btn @click="emit('close')">Cancel</v-btn>
    </form>
  </v-card>
</template>

<style scoped>
.adopting {
  display: grid;
  grid-template-columns: 1fr 1fr auto auto;
  gap: 10px;
  align-items: end;
}
@media (max-width: 900px) {
  .adopting {
    grid-template-columns: 1fr;
  }
}
</style>
