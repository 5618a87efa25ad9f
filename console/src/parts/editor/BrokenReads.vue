<script setup lang="ts">
import { brokenText, printPath } from "@copper-kettle/core";
import { computed } from "vue";
import { useSession } from "../../editor/session.js";

/** What steps read in vain since an edit, each with the steps that it could read in its place. */
const { document } = useSession();
/** What somebody put right meanwhile, or undid, is no fault of the text any more. */
const still = computed(() =>
  document.broken.value.filter(
    ({ path }) =>
      !document.isFresh.value ||
      document.problems.value.some(
        ({ code, field }) => code === "reference" && field.startsWith(printPath(path)),
      ),
  ),
);
</script>

<template>
  <v-alert
    v-if="still.length > 0"
    type="warning"
    class="mb-2"
    closable
    @click:close="document.broken.value = []"
  >
    <div v-for="one in still" :key="`${one.reader} ${one.reads}`" class="one">
      <span>{{ brokenText(one) }}</span>
      <span v-if="one.instead.length > 0" class="dim">Read instead:</span>
      <v-btn
        v-for="name in one.instead"
        :key="name"
        size="small"
        :aria-label="`${name}: ${one.reader} reads it instead of ${one.reads}`"
        @click="document.act({ do: 'read-instead', path: one.path, from: one.reads, to: name })"
        >{{ name }}</v-btn
      >
    </div>
  </v-alert>
</template>

<style scoped>
.one {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
  margin: 2px 0;
}
</style>
