<script setup lang="ts">
/** Chooses one file of this computer; it is read here, and sent by what holds it. */
defineProps<{ label: string; accept?: string }>();
const emit = defineEmits<{ choose: [file: File] }>();
function take(chosen: File | File[] | null): void {
  const file = [chosen ?? []].flat()[0];
  if (file) emit("choose", file);
}
</script>

<template>
  <v-file-input
    :label="label"
    :accept="accept"
    prepend-icon=""
    placeholder="choose a file"
    hide-details
    @update:model-value="take"
  />
</template>
