<script setup lang="ts">
import { computed } from "vue";

/** What differs between two texts, as a patch whose first lines are left out. */
const props = defineProps<{ patch: string }>();
const lines = computed(() => props.patch.split("\n").slice(3));
const toneOf = (line: string): string =>
  line.startsWith("+") ? "text-success" : line.startsWith("-") ? "text-error" : "";
</script>

<template>
  <pre
    class="mono patch"
    aria-label="Differences"
    tabindex="0"
  ><span v-for="(line, index) in lines" :key="index" :class="toneOf(line)">{{ line }}
</span></pre>
</template>

<style scoped>
.patch {
  max-height: 20rem;
  overflow: auto;
  padding: 8px;
  background: var(--soft);
}
</style>
