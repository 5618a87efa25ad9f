<script setup lang="ts">
import { runsRoutes, type Run } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";

/** Chooses the run to compare with, among the last of the same workflow. */
const props = defineProps<{ run: Run }>();
const emit = defineEmits<{ close: [] }>();
const router = useRouter();
const others = ref<{ value: string; title: string }[]>([]);
const other = ref<string | null>(null);
const fault = ref("");

onMounted(async () => {
  try {
    const { runs } = await api.call(runsRoutes.listRuns, {
      query: { workflow: props.run.workflow, limit: 50 },
    });
    others.value = runs
      .filter(({ id }) => id !== props.run.id)
      .map((one) => ({
        value: one.id,
        title: `${when(one.createdAt)}, ${one.state}, ${one.version === 0 ? "draft" : `version ${one.version}`}${one.rehearsal ? ", rehearsal" : ""} (${one.id})`,
      }));
    other.value = props.run.origin ?? others.value[0]?.value ?? null;
  } catch (error) {
    fault.value = sentence(error);
  }
});
</script>

<template>
  <v-card class="pa-4">
    <form class="compare" @submit.prevent="other && router.push(`/runs/${other}/compare/${run.id}`)">
      <v-combobox v-model="other" :items="others" :return-object="false" label="Compare with" hide-details />
      <v-btn type="submit" color="primary" variant="flat" :disabled="!other">Compare</v-btn>
      <v-btn @click="emit('close')">Cancel</v-btn>
    </form>
    <v-alert v-if="fault" type="error" class="mt-2">{{ fault }}</v-alert>
  </v-card>
</template>

<style scoped>
.compare {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 10px;
  align-items: end;
}
</style>
