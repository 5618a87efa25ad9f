<script setup lang="ts">
import { workflowsRoutes } from "@copper-kettle/contract";
import { createTwoFilesPatch } from "diff";
import { computed, ref } from "vue";
import { api, sentence } from "../../api.js";
import { useSession } from "../../editor/session.js";
import PatchView from "../shared/PatchView.vue";

/** What publishing changes, before it is done. */
const emit = defineEmits<{ close: []; published: [notes: string[]] }>();
const { document, inForce } = useSession();
const fault = ref("");
const busy = ref(false);
const params = { name: document.name };
const patch = computed(() =>
  inForce.text.value === undefined
    ? ""
    : createTwoFilesPatch("in force", "draft", inForce.text.value, document.text.value),
);
const isSame = computed(() => inForce.text.value === document.text.value);
async function publish(): Promise<void> {
  busy.value = true;
  fault.value = "";
  try {
    if (!(await document.save()))
      throw new Error("The draft could not be saved, so that it cannot be published.");
    const published = await api.call(workflowsRoutes.publishWorkflow, { params });
    document.take(published);
    emit("published", published.notes);
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section class="card publish" aria-label="Publish">
    <h2>
      {{
        document.workflow.value?.published === null
          ? "Publish the first version"
          : `What changes to version ${document.workflow.value?.published}`
      }}
    </h2>
    <v-alert v-if="fault || inForce.fault.value" type="error">{{ fault || inForce.fault.value }}</v-alert>
    <p v-if="isSame" class="dim">Nothing: the draft is what is in force.</p>
    <PatchView v-else-if="inForce.text.value !== undefined" :patch="patch" />
    <div class="d-flex ga-2">
      <v-btn color="primary" variant="flat" :loading="busy" :disabled="isSame" @click="publish"
        >Publish</v-btn
      >
      <v-btn @click="emit('close')">Cancel</v-btn>
    </div>
  </section>
</template>

<style scoped>
.publish {
  display: grid;
  gap: 10px;
  padding: 12px 14px;
  margin-bottom: 10px;
}
</style>
