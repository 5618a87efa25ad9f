<script setup lang="ts">
/** A secret goes in and never comes out: blank means that the saved one stays. */
defineProps<{ label: string; saved?: boolean; errorMessages?: string | undefined }>();
const model = defineModel<string>({ required: true });
</script>

<template>
  <v-text-field
    v-model="model"
    :label="label"
    type="password"
    autocomplete="new-password"
    :placeholder="saved ? 'saved; type a new one to replace it' : undefined"
    :persistent-placeholder="saved"
    :error-messages="errorMessages"
  />
</template>
