<script setup lang="ts">
/** A field that searches a list; emptied, it is an empty text. */
defineProps<{ label: string }>();
const text = defineModel<string>({ required: true });
</script>

<template>
  <v-text-field
    :model-value="text"
    :placeholder="label"
    :aria-label="label"
    clearable
    hide-details
    autocomplete="off"
    @update:model-value="text = $event ?? ''"
  />
</template>
