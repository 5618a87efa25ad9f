<script setup lang="ts">
/** A field with its name, and the way to leave it out. */
defineProps<{ name: string; help?: string | undefined; required?: boolean; removable: boolean }>();
const emit = defineEmits<{ remove: [] }>();
</script>

<template>
  <div class="row" :data-field="name">
    <slot name="label">
      <span class="label" :title="help">{{ name }}<span v-if="required" class="dim"> *</span></span>
    </slot>
    <slot />
    <button
      v-if="removable"
      type="button"
      class="remove"
      :aria-label="`Remove ${name}`"
      @click="emit('remove')"
    >
      ×
    </button>
    <span v-else />
  </div>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: minmax(70px, 110px) minmax(0, 1fr) 18px;
  gap: 8px;
  align-items: start;
}
.label {
  padding-top: 4px;
  font-family: var(--mono);
  font-size: 0.8125rem;
  overflow-wrap: anywhere;
}
.remove {
  padding-top: 4px;
  color: var(--dim);
}
/* The name above the field: beside each other, and in one another, they would have no room. */
@container fields (max-width: 440px) {
  .row {
    grid-template-columns: minmax(0, 1fr) 18px;
    gap: 2px 8px;
  }
  .row > :last-child {
    grid-area: 1 / 2;
  }
  .row > :not(:first-child, :last-child) {
    grid-column: 1 / -1;
  }
}
</style>
