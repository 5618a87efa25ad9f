<script setup lang="ts">
/** How far a long run is read. */
defineProps<{ read: { entries: number } }>();
</script>

<template>
  <p class="dim pa-2">Reading what happened: {{ read.entries }} entries so far.</p>
</template>
