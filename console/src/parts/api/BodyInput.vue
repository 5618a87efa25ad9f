<script setup lang="ts">
import { parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import { computed, ref } from "vue";
import BodyForm from "./BodyForm.vue";

/** A JSON body, as fields or as the text itself: two views of one value. The text is what counts. */
defineProps<{ schema?: JsonObject | undefined; fault?: string | undefined }>();
const text = defineModel<string>({ required: true });
const raw = ref(false);
const read = computed<{ value: Json } | { fault: string }>(() => {
  try {
    return { value: text.value.trim() === "" ? null : parseJson(text.value) };
  } catch (error) {
    return { fault: (error as Error).message };
  }
});
const asText = computed(() => raw.value || "fault" in read.value);
const change = (value: Json): void => void (text.value = printJson(value, 2));
</script>

<template>
  <div>
    <div class="d-flex align-center ga-3 mb-2">
      <v-btn-toggle
        :model-value="asText ? 'text' : 'fields'"
        mandatory
        density="compact"
        variant="outlined"
        @update:model-value="raw = $event === 'text'"
      >
        <v-btn value="fields" size="small" :disabled="'fault' in read">Fields</v-btn>
        <v-btn value="text" size="small">JSON</v-btn>
      </v-btn-toggle>
      <span v-if="'fault' in read" class="text-error">Not valid JSON: {{ read.fault }}</span>
    </div>
    <v-textarea
      v-if="asText"
      v-model="text"
      class="mono"
      rows="6"
      auto-grow
      label="Body"
      :error-messages="fault"
      spellcheck="false"
    />
    <template v-else>
      <BodyForm v-if="'value' in read" :value="read.value" :schema="schema" @change="change" />
      <p v-if="fault" class="text-error">{{ fault }}</p>
    </template>
  </div>
</template>
