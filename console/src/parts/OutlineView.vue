<script setup lang="ts">
import type { OutlineStep } from "@copper-kettle/contract";
import {
  mdiBellOutline,
  mdiCallSplit,
  mdiClockOutline,
  mdiEqual,
  mdiReply,
  mdiRepeat,
  mdiSendOutline,
  mdiStopCircleOutline,
  mdiTextShort,
} from "@mdi/js";

defineProps<{ outline: OutlineStep[]; triggers: string[]; faulty: Set<number> }>();
const emit = defineEmits<{ go: [line: number] }>();
const icons: Record<string, string> = {
  request: mdiSendOutline,
  if: mdiCallSplit,
  each: mdiRepeat,
  set: mdiEqual,
  wait: mdiClockOutline,
  respond: mdiReply,
  stop: mdiStopCircleOutline,
  note: mdiTextShort,
};
</script>

<template>
  <ul class="outline">
    <li v-for="trigger in triggers" :key="trigger" class="line">
      <span class="number mono" />
      <v-icon :icon="mdiBellOutline" size="16" />
      <span>{{ trigger }}</span>
    </li>
    <li v-for="step in outline" :key="step.name">
      <button
        type="button"
        class="line"
        :class="{ faulty: faulty.has(step.line) }"
        @click="emit('go', step.line)"
      >
        <span class="number mono">{{ step.line }}</span>
        <span :style="{ width: `${step.depth * 16}px` }" />
        <v-icon :icon="icons[step.kind] ?? mdiTextShort" size="16" :title="step.kind" />
        <span class="cut"
          ><span class="mono">{{ step.name }}</span>
          <span class="dim ml-2">{{ step.title ?? step.calls ?? step.kind }}</span></span
        >
      </button>
    </li>
  </ul>
</template>

<style scoped>
.outline {
  list-style: none;
}
.line {
  display: flex;
  align-items: center;
  gap: 8px;
  width: 100%;
  padding: 3px 6px;
  border-radius: 4px;
  text-align: left;
  min-width: 0;
}
button.line:hover {
  background: rgba(128, 128, 128, 0.1);
}
.number {
  width: 28px;
  flex: none;
  text-align: right;
  opacity: 0.6;
}
.faulty .number {
  color: rgb(var(--v-theme-error));
  opacity: 1;
  font-weight: 700;
}
</style>
