<script setup lang="ts">
import { briefJson, Exact, isObject, type Json } from "@copper-kettle/core";
import { computed, ref } from "vue";
import { firstMembers, sizeOf } from "../../logic/members.js";

/** A value as a tree that unfolds; long lists show their first hundred items until more are asked for. */
/** `value` is a Json; declared as unknown, since an empty text would else be taken for true. */
const props = withDefaults(
  defineProps<{ value: unknown; name?: string; depth?: number; openTo?: number }>(),
  {
    name: "",
    depth: 0,
    openTo: 2,
  },
);
const open = ref(props.depth < props.openTo);
const most = ref(100);
const size = computed(() => sizeOf(props.value as Json));
const entries = computed(() => firstMembers(props.value as Json, most.value));
const folds = computed(() => Array.isArray(props.value) || isObject(props.value));
const count = computed(() => {
  const one = Array.isArray(props.value) ? "item" : "key";
  return size.value === 0 ? "" : `${size.value} ${one}${size.value === 1 ? "" : "s"}`;
});
/** A folded value shows how it begins. */
const summary = computed(() => {
  if (!open.value && size.value > 0) return briefJson(props.value as Json, 70);
  return Array.isArray(props.value) ? `[${count.value}]` : `{${count.value}}`;
});
const kind = computed(() =>
  props.value === null ? "null" : props.value instanceof Exact ? "number" : typeof props.value,
);
const text = computed(() =>
  typeof props.value === "string" ? JSON.stringify(props.value) : String(props.value),
);
</script>

<template>
  <div class="node mono">
    <div class="line">
      <button
        v-if="folds && size > 0"
        type="button"
        class="fold"
        :aria-expanded="open"
        :aria-label="`${open ? 'Fold' : 'Unfold'} ${name || 'value'}`"
        @click="open = !open"
      >
        {{ open ? "▾" : "▸" }}
      </button>
      <span v-else class="fold" />
      <span v-if="name !== ''" class="key">{{ name }}:</span>
      <span v-if="folds" class="dim cut">{{ summary }}</span>
      <span v-else :class="kind" class="value">{{ text }}</span>
    </div>
    <div v-if="folds && open" class="inner">
      <JsonTree
        v-for="[key, inner] in entries"
        :key="key"
        :value="inner"
        :name="String(key)"
        :depth="depth + 1"
        :open-to="openTo"
      />
      <button v-if="size > most" type="button" class="more" @click="most += 500">
        {{ size - most }} more …
      </button>
    </div>
  </div>
</template>

<style scoped>
.line {
  display: flex;
  min-width: 0;
  gap: 6px;
  line-height: 1.5;
}
.fold {
  width: 14px;
  flex: none;
  text-align: center;
}
.inner {
  padding-left: 14px;
}
.key {
  color: rgb(var(--v-theme-primary));
  white-space: nowrap;
}
.value {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.string {
  color: rgb(var(--v-theme-success));
}
.number,
.boolean {
  color: rgb(var(--v-theme-info));
}
.null {
  color: var(--dim);
}
.more {
  text-decoration: underline;
  color: var(--dim);
}
</style>
