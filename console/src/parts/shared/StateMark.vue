<script setup lang="ts">
import {
  mdiAlertOctagonOutline,
  mdiCheck,
  mdiCircleOutline,
  mdiClockOutline,
  mdiCloseOctagonOutline,
  mdiHelpRhombusOutline,
  mdiPlayCircleOutline,
  mdiSkipNextOutline,
  mdiStopCircleOutline,
} from "@mdi/js";
import { computed } from "vue";
import GlyphIcon from "./GlyphIcon.vue";

const props = defineProps<{ state: string; bare?: boolean }>();

/** Each state has its word and its own shape; the colour only helps. */
const looks: Record<string, { icon: string; color: string }> = {
  queued: { icon: mdiCircleOutline, color: "info" },
  running: { icon: mdiPlayCircleOutline, color: "info" },
  waiting: { icon: mdiClockOutline, color: "info" },
  succeeded: { icon: mdiCheck, color: "quiet" },
  failed: { icon: mdiCloseOctagonOutline, color: "error" },
  stopped: { icon: mdiStopCircleOutline, color: "secondary" },
  unsure: { icon: mdiHelpRhombusOutline, color: "warning" },
  parked: { icon: mdiAlertOctagonOutline, color: "warning" },
  skipped: { icon: mdiSkipNextOutline, color: "secondary" },
};
const look = computed(() => looks[props.state] ?? { icon: mdiCircleOutline, color: "info" });
</script>

<template>
  <span class="state" :class="`text-${look.color}`" :title="state">
    <GlyphIcon :path="look.icon" :size="18" :label="state" />
    <span v-if="!bare">{{ state }}</span>
  </span>
</template>

<style scoped>
.state {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  vertical-align: top;
  line-height: inherit;
  white-space: nowrap;
  font-weight: 600;
}

.text-quiet {
  color: var(--dim);
  font-weight: 400;
}
.text-quiet .v-icon {
  color: rgb(var(--v-theme-success));
}
</style>
