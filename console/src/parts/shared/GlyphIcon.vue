<script setup lang="ts">
/** A shape from the icons, without all that a component for icons brings: for lists of hundreds of lines. */
withDefaults(defineProps<{ path: string; size?: number; label?: string }>(), { size: 16, label: undefined });
</script>

<template>
  <svg
    class="glyph"
    viewBox="0 0 24 24"
    :width="size"
    :height="size"
    :role="label ? 'img' : undefined"
    :aria-label="label"
    :aria-hidden="label ? undefined : true"
  >
    <path :d="path" fill="currentColor" />
  </svg>
</template>

<style scoped>
.glyph {
  flex: none;
  vertical-align: middle;
}
</style>
