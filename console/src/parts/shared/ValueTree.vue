<script setup lang="ts">
import { isObject, printJson, type Json } from "@copper-kettle/core";
import { computed, ref } from "vue";

/** A value as a tree in which each name gives the path to it, as an expression writes it. */
const props = defineProps<{ value: unknown; name: string; path: string }>();
const emit = defineEmits<{ pick: [path: string] }>();
const open = ref(false);
const entries = computed<[string, Json, string][]>(() => {
  const value = props.value as Json;
  if (Array.isArray(value))
    return value.slice(0, 200).map((item, index) => [String(index), item, `${props.path}[${index}]`]);
  if (!isObject(value)) return [];
  return Object.entries(value).map(([key, inner]) => [
    key,
    inner,
    /^[A-Za-z_][A-Za-z0-9_]*$/.test(key) ? `${props.path}.${key}` : `${props.path}[${printJson(key)}]`,
  ]);
});
const brief = computed(() => {
  const text = printJson(props.value);
  return text.length > 60 ? `${text.slice(0, 59)}…` : text;
});
</script>

<template>
  <div class="mono">
    <div class="line">
      <button
        v-if="entries.length > 0"
        type="button"
        class="fold"
        :aria-expanded="open"
        :aria-label="`${open ? 'Fold' : 'Unfold'} ${path}`"
        @click="open = !open"
      >
        {{ open ? "▾" : "▸" }}
      </button>
      <span v-else class="fold" />
      <button type="button" class="name" :title="path" @click="emit('pick', path)">{{ name }}</button>
      <span v-if="!open" class="dim cut">{{ brief }}</span>
    </div>
    <div v-if="open" class="inner">
      <ValueTree
        v-for="[key, inner, to] in entries"
        :key="key"
        :value="inner"
        :name="key"
        :path="to"
        @pick="emit('pick', $event)"
      />
    </div>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  gap: 6px;
  min-width: 0;
  line-height: 1.6;
}
.fold {
  width: 14px;
  flex: none;
}
.name {
  color: rgb(var(--v-theme-primary));
  white-space: nowrap;
}
.name:hover {
  text-decoration: underline;
}
.inner {
  padding-left: 14px;
}
</style>
