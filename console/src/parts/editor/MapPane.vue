<script setup lang="ts">
import { computed, ref } from "vue";
import { drawing } from "../../editor/map.js";
import { useSession } from "../../editor/session.js";
import { stepIcons } from "../../logic/step-icons.js";

/** The flow as a picture: for reading, and for showing to others. It lays itself out. */
const { document, values, chosen, choose } = useSession();
const zoom = ref(1);
const picture = computed(() => drawing(document.lines.value));
const stateOf = (name: string) => values.stateOf(name);
const tones: Record<string, string> = { failed: "error", unsure: "warning", succeeded: "success" };
function onKey(event: KeyboardEvent): void {
  if (event.key === "+" || event.key === "=") zoom.value = Math.min(2, zoom.value * 1.2);
  else if (event.key === "-") zoom.value = Math.max(0.3, zoom.value / 1.2);
  else if (event.key === "0") zoom.value = 1;
  else return;
  event.preventDefault();
}
</script>

<template>
  <div class="map" tabindex="0" role="region" aria-label="Map of the workflow" @keydown="onKey">
    <div class="zoom">
      <v-btn size="small" aria-label="Smaller" @click="zoom = Math.max(0.3, zoom / 1.2)">−</v-btn>
      <v-btn size="small" aria-label="Larger" @click="zoom = Math.min(2, zoom * 1.2)">+</v-btn>
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
        <text v-if="edge.label" :x="edge.x" :y="edge.y" class="small" text-anchor="middle">
          {{ edge.label }}
        </text>
      </g>
      <g
        v-for="node in picture.nodes"
        :key="node.id"
        class="node"
        :class="{
          chosen: node.id === chosen,
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
  gap: 4px;
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
.success {
  fill: rgb(var(--v-theme-success));
}
</style>
