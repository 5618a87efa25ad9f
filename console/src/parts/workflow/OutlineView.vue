<script setup lang="ts">
import type { OutlineStep } from "@copper-kettle/contract";
import {
  mdiCloudOutline,
  mdiPlayOutline,
  mdiBellOutline,
  mdiCallSplit,
  mdiClockOutline,
  mdiEqual,
  mdiArchiveOutline,
  mdiCheckDecagramOutline,
  mdiFormatListGroup,
  mdiGroup,
  mdiSitemapOutline,
  mdiReply,
  mdiRepeat,
  mdiSendOutline,
  mdiStopCircleOutline,
  mdiTextShort,
} from "@mdi/js";

defineProps<{ outline: OutlineStep[]; triggers: string[]; faulty: Set<number> }>();
const emit = defineEmits<{ go: [line: number]; adopt: [step: string]; test: [step: OutlineStep] }>();
/** A call that says its own method and address, and no operation. */
const inline = (step: OutlineStep): boolean => step.kind === "request" && /^[A-Z]+ /.test(step.calls ?? "");
const icons: Record<string, string> = {
  request: mdiSendOutline,
  if: mdiCallSplit,
  each: mdiRepeat,
  group: mdiGroup,
  together: mdiFormatListGroup,
  ensure: mdiCheckDecagramOutline,
  workflow: mdiSitemapOutline,
  remember: mdiArchiveOutline,
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
    <li v-for="step in outline" :key="step.name" class="step">
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
      <button
        v-if="step.kind === 'request'"
        type="button"
        class="adopt dim"
        :aria-label="`Test ${step.name} alone`"
        title="Test this step alone"
        @click="emit('test', step)"
      >
        <v-icon :icon="mdiPlayOutline" size="16" />
      </button>
      <button
        v-if="inline(step)"
        type="button"
        class="adopt dim"
        :aria-label="`Make an operation from ${step.name}`"
        title="Make an operation from it"
        @click="emit('adopt', step.name)"
      >
        <v-icon :icon="mdiCloudOutline" size="16" />
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
.step {
  display: flex;
}
.adopt {
  padding: 0 6px;
  opacity: 0.5;
}
.adopt:hover,
.adopt:focus-visible {
  opacity: 1;
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
