<script setup lang="ts">
import { computed } from "vue";

interface Hour {
  hour: string;
  succeeded: number;
  failed: number;
  other: number;
}
/** The runs that ended over the last day: their numbers, and a bar an hour. */
const props = defineProps<{ hours: Hour[]; unsure: number; waiting: number }>();
const height = 60;
const most = computed(() =>
  Math.max(1, ...props.hours.map((hour) => hour.succeeded + hour.failed + hour.other)),
);
const sum = (of: "succeeded" | "failed" | "other"): number =>
  props.hours.reduce((total, hour) => total + hour[of], 0);
const numbers = computed(() => [
  { count: sum("succeeded") + sum("failed") + sum("other"), word: "runs ended", to: "/runs", tone: "" },
  {
    count: sum("failed"),
    word: "failed",
    to: "/runs?state=failed",
    tone: sum("failed") > 0 ? "text-error" : "",
  },
  {
    count: props.unsure,
    word: "unsure",
    to: "/runs?state=unsure,parked",
    tone: props.unsure > 0 ? "text-warning" : "",
  },
  { count: props.waiting, word: "waiting", to: "/runs?state=waiting", tone: "" },
]);
const bars = computed(() =>
  props.hours.map((hour, index) => {
    const scale = height / most.value;
    const parts = [
      { color: "rgb(var(--v-theme-primary))", opacity: 0.5, count: hour.succeeded },
      { color: "rgb(var(--v-theme-warning))", opacity: 1, count: hour.other },
      { color: "rgb(var(--v-theme-error))", opacity: 1, count: hour.failed },
    ];
    let y = height;
    const at = new Date(hour.hour).getHours();
    return {
      x: index * 15,
      textAt: index * 15 + (index === 0 ? 0 : index === props.hours.length - 1 ? 15 : 7.5),
      label: `${at}:00 – ${hour.succeeded} succeeded, ${hour.failed} failed, ${hour.other} other`,
      hour: at,
      // Nothing is cut at the ends.
      anchor: index === 0 ? "start" : index === props.hours.length - 1 ? "end" : "middle",
      parts: parts
        .filter((part) => part.count > 0)
        .map((part) => {
          const size = Math.max(2, part.count * scale);
          y -= size;
          return { ...part, y, size };
        }),
    };
  }),
);
</script>

<template>
  <section class="card" aria-label="Runs over the last day">
    <div class="numbers">
      <router-link v-for="one in numbers" :key="one.word" :to="one.to" class="one">
        <b :class="one.tone">{{ one.count }}</b>
        <span class="dim">{{ one.word }}</span>
      </router-link>
    </div>
    <p class="dim caption">Runs over the last day, hour by hour</p>
    <svg
      :viewBox="`0 0 360 ${height + 16}`"
      class="hours"
      role="img"
      aria-label="Runs that ended, hour by hour, over the last day"
    >
      <line x1="0" :y1="height" x2="360" :y2="height" class="base" />
      <g v-for="bar in bars" :key="bar.x">
        <title>{{ bar.label }}</title>
        <rect :x="bar.x" y="0" width="15" :height="height" fill="transparent" />
        <rect
          v-for="part in bar.parts"
          :key="part.y"
          :x="bar.x + 2"
          :y="part.y"
          width="11"
          :height="part.size"
          :fill="part.color"
          :fill-opacity="part.opacity"
        />
        <text v-if="bar.hour % 6 === 0" :x="bar.textAt" :y="height + 13" :text-anchor="bar.anchor">
          {{ bar.hour }}:00
        </text>
      </g>
    </svg>
  </section>
</template>

<style scoped>
.numbers {
  display: grid;
  grid-template-columns: repeat(4, minmax(0, 1fr));
}
.one {
  display: grid;
  padding: 8px 12px;
  color: inherit !important;
  text-decoration: none;
  border-left: 1px solid var(--line);
}
.one:first-child {
  border-left: 0;
}
.one:hover {
  background: var(--soft);
}
.one b {
  font-size: 1.375rem;
  line-height: 1.3;
}
.caption {
  padding: 4px 12px 0;
  font-size: 0.8125rem;
}
.hours {
  width: calc(100% - 24px);
  max-width: 420px;
  margin: 4px 12px 6px;
  display: block;
}
.base {
  stroke: var(--line);
}
text {
  font-size: 10px;
  fill: var(--dim);
}
</style>
