<script setup lang="ts">
import { runsRoutes, type Run } from "@copper-kettle/contract";
import { parseJson, type Json } from "@copper-kettle/core";
import { computed, ref } from "vue";
import { api, sentence } from "../../api.js";

/** A run that stopped for a look: values may be changed before it goes on. */
const props = defineProps<{ run: Run }>();
const emit = defineEmits<{ done: [] }>();
const changes = ref([{ place: "", value: "" }]);
const wait = computed(() => props.run.waits.find(({ kind }) => kind === "breakpoint"));
const isInLoop = computed(() => /\[\d+\]\//.test(wait.value?.path ?? ""));
const fault = ref("");
const busy = ref(false);

async function goOn(next?: "step" | "item"): Promise<void> {
  fault.value = "";
  const set: Record<string, Json> = {};
  for (const { place, value } of changes.value) {
    if (!place.trim()) continue;
    try {
      set[place.trim()] = parseJson(value);
    } catch {
      set[place.trim()] = value; // a plain text needs no quotes
    }
  }
  busy.value = true;
  try {
    await api.call(runsRoutes.continueRun, {
      params: { id: props.run.id },
      body: { set, ...(next ? { next } : {}) },
    });
    emit("done");
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card class="pa-4 panel">
    <p>
      <strong>{{ wait?.reason }}</strong> The results so far are shown below. You can change a value before
      you continue.
    </p>
    <form class="changes" @submit.prevent="goOn()">
      <div v-for="(change, index) in changes" :key="index" class="pair">
        <v-text-field
          v-model="change.place"
          label="Place"
          placeholder="steps.guest.body.items[0].id"
          class="mono"
          autocomplete="off"
          hide-details
        />
        <v-text-field
          v-model="change.value"
          label="New value (JSON, or a plain text)"
          class="mono"
          autocomplete="off"
          hide-details
        />
      </div>
      <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
      <div class="d-flex flex-wrap ga-2">
        <v-btn type="submit" color="primary" variant="flat" :loading="busy">Continue</v-btn>
        <v-btn :disabled="busy" @click="goOn('step')">Next step</v-btn>
        <v-btn v-if="isInLoop" :disabled="busy" @click="goOn('item')">Next item</v-btn>
        <v-btn @click="changes.push({ place: '', value: '' })">Change another value</v-btn>
      </div>
    </form>
  </v-card>
</template>

<style scoped>
.panel,
.changes {
  display: grid;
  gap: 10px;
}
</style>
