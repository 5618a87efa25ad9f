<script setup lang="ts">
/** A secret goes in and never comes out: blank means that the one that is kept stays. */
defineProps<{ label: string; kept?: boolean; errorMessages?: string | undefined }>();
const model = defineModel<string>({ required: true });
</script>

<template>
  <v-text-field
    v-model="model"
    :label="label"
    type="password"
    autocomplete="new-password"
    :placeholder="kept ? 'kept; type a new one to replace it' : undefined"
    :persistent-placeholder="kept"
    :error-messages="errorMessages"
  />
</template>
