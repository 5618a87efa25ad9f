<script setup lang="ts">
import { computed } from "vue";

interface Hour {
  hour: string;
  succeeded: number;
  failed: number;
  other: number;
}
const props = defineProps<{ hours: Hour[] }>();
const height = 56;
const most = computed(() =>
  Math.max(1, ...props.hours.map((hour) => hour.succeeded + hour.failed + hour.other)),
);
const bars = computed(() =>
  props.hours.map((hour, index) => {
    const scale = height / most.value;
    const parts = [
      { color: "success", count: hour.succeeded },
      { color: "warning", count: hour.other },
      { color: "error", count: hour.failed },
    ];
    let y = height;
    const label = `${new Date(hour.hour).getHours()}:00 – ${hour.succeeded} succeeded, ${hour.failed} failed, ${hour.other} other`;
    return {
      x: index * 12,
      label,
      hour: new Date(hour.hour).getHours(),
      parts: parts
        .filter((part) => part.count > 0)
        .map((part) => {
          const size = Math.max(2, part.count * scale);
          y -= size;
          return { color: `rgb(var(--v-theme-${part.color}))`, y, size };
        }),
    };
  }),
);
</script>

<template>
  <svg
    :viewBox="`0 0 288 ${height + 16}`"
    class="hours"
    role="img"
    aria-label="Runs that ended, hour by hour, over the last day"
  >
    <line x1="0" :y1="height" x2="288" :y2="height" stroke="currentColor" stroke-opacity="0.3" />
    <g v-for="bar in bars" :key="bar.x">
      <title>{{ bar.label }}</title>
      <rect :x="bar.x" y="0" width="12" :height="height" fill="transparent" />
      <rect
        v-for="part in bar.parts"
        :key="part.y"
        :x="bar.x + 1"
        :y="part.y"
        width="10"
        :height="part.size"
        :fill="part.color"
      />
      <text v-if="bar.hour % 6 === 0" :x="bar.x + 6" :y="height + 12" text-anchor="middle">
        {{ bar.hour }}:00
      </text>
    </g>
  </svg>
</template>

<style scoped>
.hours {
  width: 100%;
  max-width: 620px;
  display: block;
}
text {
  font-size: 8px;
  fill: currentColor;
  opacity: 0.7;
}
</style>
