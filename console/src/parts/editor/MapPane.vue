<script setup lang="ts">
import { mdiPause, mdiPlay, mdiStepBackward, mdiStepForward } from "@mdi/js";
import { computed, onBeforeUnmount, ref, watch } from "vue";
import { drawing } from "../../editor/map.js";
import { useSession } from "../../editor/session.js";
import { when } from "../../logic/format.js";
import { Playback } from "../../logic/playback.js";
import { stepIcons } from "../../logic/step-icons.js";

/** The flow as a picture: for reading, and for showing to others. It lays itself out, and the chosen run is played on it. */
const { document, values, chosen, choose } = useSession();
const zoom = ref(1);
const picture = computed(() => drawing(document.lines.value));
const playback = computed(() => new Playback(values.rows.value.values()));
/** The moment that is shown; null for how the run ended. */
const moment = ref<number | null>(null);
const last = computed(() => playback.value.moments.length - 1);
const time = computed(() => playback.value.moments[moment.value ?? last.value] ?? 0);
/** A played run is over after this time, in milliseconds; a short one shows each moment for a while. */
const [whole, longestMoment] = [12_000, 600];
let timer: ReturnType<typeof setInterval> | undefined;
const plays = ref(false);
function pause(): void {
  clearInterval(timer);
  plays.value = false;
}
function play(): void {
  if (plays.value) return pause();
  if (moment.value === null || moment.value >= last.value) moment.value = 0;
  plays.value = true;
  const each = Math.min(longestMoment, whole / Math.max(1, last.value));
  timer = setInterval(() => {
    go(1);
    if (moment.value === null) pause();
  }, each);
}
/** The moment so many further on; behind the last one the run is shown as it ended. */
function go(by: number): void {
  const next = (moment.value ?? last.value) + by;
  moment.value = next > last.value ? null : Math.max(0, next);
}
/** When the run began that is shown. */
const runOf = computed(() => {
  const run = values.runs.value.find(({ id }) => id === values.chosen.value);
  return run ? `${when(run.startedAt ?? run.createdAt)} · ` : "";
});
watch(values.chosen, () => {
  pause();
  moment.value = null;
});
onBeforeUnmount(pause);
const stateOf = (name: string) =>
  moment.value === null ? values.stateOf(name) : playback.value.at(name, time.value);
const tones: Record<string, string> = {
  failed: "error",
  unsure: "warning",
  succeeded: "success",
  running: "copper",
};
function onKey(event: KeyboardEvent): void {
  if (event.key === "+" || event.key === "=") zoom.value = Math.min(2, zoom.value * 1.2);
  else if (event.key === "-") zoom.value = Math.max(0.3, zoom.value / 1.2);
  else if (event.key === "0") zoom.value = 1;
  else if (event.key === " " && event.target === event.currentTarget && last.value > 0) play();
  else return;
  event.preventDefault();
}
</script>

<template>
  <div class="map" tabindex="0" role="region" aria-label="Map of the workflow" @keydown="onKey">
    <div class="zoom">
      <v-btn size="small" aria-label="Smaller" @click="zoom = Math.max(0.3, zoom / 1.2)">−</v-btn>
      <v-btn size="small" aria-label="Larger" @click="zoom = Math.min(2, zoom * 1.2)">+</v-btn>
      <template v-if="last > 0">
        <v-btn
          size="small"
          :prepend-icon="plays ? mdiPause : mdiPlay"
          :title="plays ? 'Pause (space)' : 'Play the chosen run (space)'"
          @click="play"
          >{{ plays ? "Pause" : "Play the run" }}</v-btn
        >
        <v-btn
          size="small"
          :icon="mdiStepBackward"
          aria-label="The moment before"
          class="square"
          @click="(pause(), go(-1))"
        />
        <v-btn
          size="small"
          :icon="mdiStepForward"
          aria-label="The next moment"
          class="square"
          @click="(pause(), go(1))"
        />
        <v-slider
          :model-value="moment ?? last"
          :min="0"
          :max="last"
          :step="1"
          hide-details
          density="compact"
          aria-label="Moment of the run"
          color="primary"
          class="moments"
          @update:model-value="(pause(), (moment = $event))"
        />
        <span class="dim moment" role="status"
          >{{ runOf }}{{ moment === null ? "as it ended" : `after ${playback.after(time)}` }}</span
        >
      </template>
    </div>
    <svg
      :width="picture.width * zoom"
      :height="picture.height * zoom"
      :viewBox="`0 0 ${picture.width} ${picture.height}`"
      role="img"
      aria-label="The steps and how they follow each other"
    >
      <defs>
        <marker
          id="map-arrow"
          viewBox="0 0 8 8"
          refX="7"
          refY="4"
          markerWidth="7"
          markerHeight="7"
          orient="auto"
        >
          <path d="M0 0 L8 4 L0 8 z" class="arrow" />
        </marker>
      </defs>
      <rect
        v-for="frame in picture.frames"
        :key="frame.id"
        :x="frame.x"
        :y="frame.y"
        :width="frame.width"
        :height="frame.height"
        rx="8"
        class="frame"
      />
      <text
        v-for="frame in picture.frames"
        :key="`t${frame.id}`"
        :x="frame.x + 8"
        :y="frame.y + 15"
        class="small"
      >
        {{ frame.label }}
      </text>
      <g v-for="edge in picture.edges" :key="edge.id">
        <path :d="edge.path" class="edge" :class="{ side: edge.isSide }" marker-end="url(#map-arrow)" />
        <text v-if="edge.label" :x="edge.x" :y="edge.y" class="small halo" text-anchor="middle">
          {{ edge.label }}
        </text>
      </g>
      <g
        v-for="node in picture.nodes"
        :key="node.id"
        class="node"
        :class="{
          chosen: node.id === chosen,
          busy: stateOf(node.name)?.state === 'running',
          none: values.chosen.value !== null && node.name !== '' && !stateOf(node.name),
        }"
        :transform="`translate(${node.x} ${node.y})`"
        @click="choose(node.id)"
      >
        <rect :width="node.width" :height="node.height" :rx="node.isTrigger ? 18 : 6" />
        <path :d="stepIcons[node.kind] ?? ''" transform="translate(9 11) scale(0.7)" class="icon" />
        <text x="34" y="17" class="name">{{ node.title }}</text>
        <text x="34" y="32" class="small">{{ node.summary }}</text>
        <text
          v-if="node.name !== '' && stateOf(node.name)"
          :x="node.width - 8"
          y="-4"
          text-anchor="end"
          class="small"
          :class="tones[stateOf(node.name)?.state ?? ''] ?? ''"
        >
          {{ stateOf(node.name)?.words }}
        </text>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.map {
  position: relative;
  padding: 8px;
}
.zoom {
  position: sticky;
  top: 0;
  left: 0;
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px;
  background: rgb(var(--v-theme-surface));
}
.square {
  width: 30px;
  height: 30px;
  border-radius: 4px;
}
.moments {
  flex: 0 1 140px;
  min-width: 100px;
  margin: 0 8px;
}
.moment {
  font-size: 0.8125rem;
  min-width: 90px;
}
.frame {
  fill: none;
  stroke: var(--dim);
  stroke-dasharray: 4 3;
}
.edge {
  fill: none;
  stroke: var(--dim);
}
.edge.side {
  stroke-dasharray: 3 3;
}
.arrow {
  fill: var(--dim);
}
.node {
  cursor: pointer;
}
.node rect {
  fill: rgb(var(--v-theme-surface));
  stroke: var(--dim);
}
.node.chosen rect {
  stroke: var(--copper);
  stroke-width: 2;
  fill: var(--soft);
}
.node.none rect {
  stroke-dasharray: 2 3;
}
.halo {
  paint-order: stroke;
  stroke: rgb(var(--v-theme-surface));
  stroke-width: 4px;
}
.node.busy rect {
  stroke: var(--copper);
  stroke-width: 2;
}
.icon {
  fill: var(--dim);
}
text {
  fill: currentColor;
  font-size: 13px;
}
.name {
  font-weight: 600;
}
.small {
  font-size: 11px;
  fill: var(--dim);
}
.error {
  fill: rgb(var(--v-theme-error));
}
.warning {
  fill: rgb(var(--v-theme-warning));
}
.copper {
  fill: var(--copper);
}
.success {
  fill: rgb(var(--v-theme-success));
}
</style>
