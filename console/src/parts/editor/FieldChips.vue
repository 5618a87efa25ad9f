<script setup lang="ts">
/** Names that can be added. */
defineProps<{
  offers: { key: string; help?: string | undefined; required?: boolean }[];
  starred?: boolean;
}>();
const emit = defineEmits<{ add: [key: string] }>();
</script>

<template>
  <button
    v-for="one in offers"
    :key="one.key"
    type="button"
    class="chip"
    :title="one.help"
    @click="emit('add', one.key)"
  >
    + {{ one.key }}{{ starred && one.required ? " *" : "" }}
  </button>
</template>

<style scoped>
.chip {
  padding: 0 8px;
  border: 1px dashed var(--line);
  border-radius: 4px;
  font-size: 0.8125rem;
  line-height: 22px;
  color: var(--copper);
}
.chip:hover {
  background: var(--soft);
}
</style>
