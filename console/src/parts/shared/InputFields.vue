<script setup lang="ts">
import type { FormField } from "../../logic/schema-form.js";

/** The fields of a form that is made from the inputs of a workflow. What is typed goes into `values`. */
defineProps<{ fields: FormField[]; faults: Record<string, string> }>();
const values = defineModel<Record<string, unknown>>({ required: true });
const star = (field: FormField): string => (field.required ? " *" : "");
</script>

<template>
  <template v-for="field in fields" :key="field.name">
    <v-select
      v-if="field.kind === 'choice'"
      v-model="values[field.name]"
      :items="field.choices"
      :label="field.title + star(field)"
      :hint="field.help"
      :error-messages="faults[field.name]"
    />
    <v-checkbox
      v-else-if="field.kind === 'boolean'"
      v-model="values[field.name]"
      :label="field.title"
      :error-messages="faults[field.name]"
      density="compact"
      hide-details="auto"
    />
    <v-textarea
      v-else-if="field.kind === 'json'"
      v-model="values[field.name]"
      class="mono"
      rows="3"
      auto-grow
      :label="`${field.title} (JSON)${star(field)}`"
      :hint="field.help"
      :error-messages="faults[field.name]"
    />
    <v-text-field
      v-else
      v-model="values[field.name]"
      :type="field.kind === 'secret' ? 'password' : field.kind === 'number' ? 'text' : field.inputType"
      :inputmode="field.kind === 'number' ? 'decimal' : undefined"
      :label="field.title + star(field)"
      :hint="field.help"
      :error-messages="faults[field.name]"
      autocomplete="off"
    />
  </template>
</template>
