<script setup lang="ts">
/** The code of the system or library behind a failure: folded, since most people need the sentence only. */
defineProps<{ detail?: string | undefined }>();
</script>

<template>
  <details v-if="detail" class="details">
    <summary>Details</summary>
    <span class="mono">{{ detail }}</span>
  </details>
</template>

<style scoped>
.details {
  display: inline-block;
  vertical-align: top;
  font-size: 13px;
}
.details summary {
  cursor: pointer;
}
</style>
