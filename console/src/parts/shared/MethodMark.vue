<script setup lang="ts">
/** An HTTP method, in a width that all share. */
defineProps<{ method: string }>();
</script>

<template>
  <span
    class="method mono"
    :class="{ quiet: method === 'GET' || method === 'HEAD' || method === 'OPTIONS' }"
    >{{ method }}</span
  >
</template>

<style scoped>
.method {
  display: inline-block;
  min-width: 4.2em;
  text-align: center;
  font-size: 0.75rem;
  font-weight: 600;
  border: 1px solid rgb(var(--v-theme-primary));
  color: rgb(var(--v-theme-primary));
  border-radius: 3px;
  padding: 0 4px;
}
.quiet {
  border-color: rgb(var(--v-theme-secondary));
  color: rgb(var(--v-theme-secondary));
}
</style>
