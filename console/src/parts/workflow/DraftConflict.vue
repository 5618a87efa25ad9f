<script setup lang="ts">
import type { WorkflowDetail } from "@copper-kettle/contract";
import { createTwoFilesPatch } from "diff";
import { computed } from "vue";
import PatchView from "../shared/PatchView.vue";

/** The draft was changed by somebody else since this text began: what differs, and the ways out. */
const props = defineProps<{ theirs: WorkflowDetail; mine: string }>();
defineEmits<{ takeTheirs: []; takeMine: [] }>();

const patch = computed(() => createTwoFilesPatch("theirs", "mine", props.theirs.text, props.mine));
</script>

<template>
  <v-card class="pa-4 mb-3" role="alert" aria-label="Changed by somebody else">
    <h2 class="mb-2">Somebody else saved a newer draft while you were editing</h2>
    <p class="mb-2">
      Revision {{ theirs.revision }} is theirs. Your text is still here. Lines with − are only in theirs,
      lines with + are only in yours.
    </p>
    <PatchView class="mb-2" :patch="patch" />
    <div class="buttons">
      <v-btn @click="$emit('takeTheirs')">Take theirs, discard mine</v-btn>
      <v-btn @click="$emit('takeMine')">Keep mine, replace theirs</v-btn>
    </div>
  </v-card>
</template>

<style scoped>
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
