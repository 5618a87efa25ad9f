<script setup lang="ts">
import type { WorkflowDetail } from "@copper-kettle/contract";
import { createTwoFilesPatch } from "diff";
import { computed } from "vue";

/** The draft was changed by somebody else since this text began: what differs, and the ways out. */
const props = defineProps<{ theirs: WorkflowDetail; mine: string }>();
defineEmits<{ takeTheirs: []; takeMine: [] }>();

const lines = computed(() =>
  createTwoFilesPatch("theirs", "mine", props.theirs.text, props.mine).split("\n").slice(3),
);
const kindOf = (line: string): string =>
  line.startsWith("+") ? "text-success" : line.startsWith("-") ? "text-error" : "";
</script>

<template>
  <v-card class="pa-4 mb-3" role="alert" aria-label="Changed by somebody else">
    <h2 class="mb-2">Somebody else saved a newer draft while you were editing</h2>
    <p class="mb-2">
      Revision {{ theirs.revision }} is theirs. Your text is still here. Lines with − are only in theirs,
      lines with + are only in yours.
    </p>
    <pre
      class="mono patch"
      aria-label="Differences"
    ><span v-for="(line, index) in lines" :key="index" :class="kindOf(line)">{{ line }}
</span></pre>
    <div class="buttons">
      <v-btn @click="$emit('takeTheirs')">Take theirs, discard mine</v-btn>
      <v-btn @click="$emit('takeMine')">Keep mine, replace theirs</v-btn>
    </div>
  </v-card>
</template>

<style scoped>
.patch {
  max-height: 18rem;
  overflow: auto;
  margin-bottom: 8px;
  padding: 8px;
  background: rgba(128, 128, 128, 0.1);
}
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
