<script setup lang="ts">
import { parseJson, type Json } from "@copper-kettle/core";
import { computed } from "vue";
import JsonTree from "./JsonTree.vue";

/** A body: JSON as a tree, also where it comes as text; all else as text. */
/** `body` is a Json; declared as unknown, since an empty text would else be taken for true. */
const props = defineProps<{ body: unknown; asText?: boolean }>();
const value = computed<Json | undefined>(() => {
  if (props.body === undefined || props.body === null) return undefined;
  if (!props.asText || typeof props.body !== "string") return props.body as Json;
  try {
    return parseJson(props.body);
  } catch {
    return props.body;
  }
});
</script>

<template>
  <p v-if="value === undefined" class="dim">no body</p>
  <pre v-else-if="typeof value === 'string'" class="mono text">{{ value }}</pre>
  <JsonTree v-else :value="value" />
</template>

<style scoped>
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 400px;
  overflow: auto;
}
</style>
