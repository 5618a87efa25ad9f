<script setup lang="ts">
import { printForPeople } from "@copper-kettle/core";
import type { RunDetail } from "@copper-kettle/contract";
import { computed, ref } from "vue";
import { when } from "../../logic/format.js";
import type { Row, Segment, Stopped, Waterfall } from "../../logic/waterfall.js";
import StateMark from "../shared/StateMark.vue";
import LoopItems from "./LoopItems.vue";

/** `version` grows with each entry that the waterfall took in: it is changed in place. */
const props = defineProps<{
  waterfall: Waterfall;
  version: number;
  now: number;
  selected: string;
  /** When the service did not run. */
  stops: RunDetail["stops"];
}>();
const emit = defineEmits<{ select: [path: string] }>();

/** The item that each loop shows; loops are folded until one is chosen. */
const shownItem = ref<Record<string, number>>({});

interface Line {
  row: Row;
  indent: number;
}

const end = computed(() =>
  props.version >= 0 && props.waterfall.over ? props.waterfall.to : Math.max(props.waterfall.to, props.now),
);
const span = computed(() => Math.max(1, end.value - props.waterfall.from));

function linesOf(prefix: string, indent: number): Line[] {
  return props.waterfall.inside(prefix).flatMap((row) => {
    const own = indent + Math.max(0, row.depth - prefix.split("/").length + 1);
    const line: Line = { row, indent: own };
    const item = shownItem.value[row.path];
    return item === undefined ? [line] : [line, ...linesOf(`${row.path}[${item}]/`, own + 1)];
  });
}
const lines = computed(() => (props.version >= 0 ? linesOf("", 0) : []));
/** About four marks at round times. */
const ticks = computed(() => {
  const rough = span.value / 4;
  const power = 10 ** Math.floor(Math.log10(rough));
  const step = ([1, 2, 5, 10].find((factor) => factor * power >= rough) ?? 10) * power;
  return Array.from({ length: Math.floor(span.value / step) + 1 }, (_, index) => ({
    at: ((index * step) / span.value) * 100,
    label: printForPeople(index * step),
  }));
});

const place = (time: number): number => ((time - props.waterfall.from) / span.value) * 100;

const stopped = computed(() => (props.version >= 0 ? props.waterfall.stopsOf(props.stops) : []));
const clock = (millis: number): string => when(new Date(millis).toISOString());
function stopWords({ from, to, resent }: Stopped): string {
  const again =
    resent === 0
      ? "nothing that writes was sent again"
      : `${resent} ${resent === 1 ? "call" : "calls"} sent again`;
  return `Service stopped ${clock(from)}, resumed ${clock(to)}; ${again}`;
}
function band({ from, to }: Stopped): Record<string, string> {
  const left = Math.max(0, place(from));
  return { left: `${left}%`, width: `max(3px, ${Math.max(0, Math.min(100, place(to)) - left)}%)` };
}
function bar(segment: Segment): Record<string, string> {
  const left = place(segment.from);
  const right = place(segment.to ?? end.value);
  return { left: `${left}%`, width: `max(3px, ${Math.max(0, right - left)}%)` };
}
function whole(row: Row): Record<string, string> {
  const left = place(row.from);
  return { left: `${left}%`, width: `max(3px, ${Math.max(0, place(row.to ?? end.value) - left)}%)` };
}
function paint(segment: Segment): string {
  if (segment.kind !== "sending") return segment.kind;
  if (segment.to === undefined) return "going";
  return segment.status !== undefined && segment.status < 400 ? "good" : "bad";
}
function length(segment: Segment): string {
  return `${segment.label}, ${printForPeople((segment.to ?? end.value) - segment.from)}`;
}
/** What each bar means, of those that are there. */
const meanings: [kind: string, words: string][] = [
  ["good", "responded"],
  ["bad", "failed, or no response"],
  ["going", "is being sent"],
  ["pretended", "not sent"],
  ["backing-off", "waits"],
  ["inside", "its steps run"],
];
const legend = computed(() => {
  const kinds = new Set(
    lines.value.flatMap(({ row }) =>
      row.segments.length === 0 ? ["inside"] : row.segments.map((segment) => kindOf(paint(segment))),
    ),
  );
  return meanings.filter(([kind]) => kinds.has(kind));
});
/** All waits look alike: each says why where one points at it, and the longest in its line. */
const kindOf = (painted: string): string =>
  ["wait", "rate-limit", "backing-off"].includes(painted) ? "backing-off" : painted;
/** How long a step took, and for what it waited longest. */
function words(row: Row): string {
  const took = printForPeople((row.to ?? end.value) - row.from);
  const lengthOf = ({ from, to }: Segment): number => (to ?? end.value) - from;
  const waits = row.segments.filter((segment) => kindOf(paint(segment)) === "backing-off");
  const longest = waits.sort((a, b) => lengthOf(b) - lengthOf(a))[0];
  return longest && lengthOf(longest) * 5 > span.value ? `${took} · ${longest.label}` : took;
}
/** Behind the bar, or in front of it where that has more room. */
function beside(row: Row): Record<string, string> {
  const [left, right] = [place(row.from), place(row.to ?? end.value)];
  return 100 - right >= left
    ? { left: `calc(${right}% + 8px)`, maxWidth: `calc(${100 - right}% - 8px)` }
    : { right: `calc(${100 - left}% + 8px)`, maxWidth: `calc(${left}% - 8px)` };
}
function showItem(path: string, index: number): void {
  const next = { ...shownItem.value };
  if (next[path] === index) delete next[path];
  else next[path] = index;
  shownItem.value = next;
}
function move(event: KeyboardEvent, index: number, by: number): void {
  event.preventDefault();
  const next = lines.value[index + by];
  if (!next) return;
  emit("select", next.row.path);
  const sibling = (event.currentTarget as HTMLElement).parentElement?.querySelectorAll<HTMLElement>(".row")[
    index + by
  ];
  sibling?.focus();
}
</script>

<template>
  <div class="waterfall" role="list" aria-label="Steps on a time axis">
    <div class="row axis" aria-hidden="true">
      <div class="label" />
      <div class="track">
        <span v-for="tick in ticks" :key="tick.at" class="tick" :style="{ left: `${tick.at}%` }">{{
          tick.label
        }}</span>
      </div>
    </div>
    <div
      v-for="({ row, indent }, index) in lines"
      :key="row.path"
      class="row step"
      :class="{ selected: row.path === selected }"
      role="listitem"
      tabindex="0"
      @click="emit('select', row.path)"
      @keydown.down="move($event, index, 1)"
      @keydown.up="move($event, index, -1)"
      @keydown.enter="emit('select', row.path)"
    >
      <div class="label" :style="{ paddingLeft: `${indent * 14}px` }">
        <StateMark :state="row.state" bare />
        <span class="name cut" :title="row.title ?? row.path"
          ><span class="mono">{{ row.name }}</span>
          <span v-if="row.title" class="dim title">{{ row.title }}</span></span
        >
      </div>
      <div class="track">
        <div
          v-for="stop in stopped"
          :key="stop.to"
          class="band"
          :style="band(stop)"
          :title="stopWords(stop)"
        />
        <div v-if="row.segments.length === 0" class="bar inside" :style="whole(row)" />
        <div
          v-for="(segment, at) in row.segments"
          :key="at"
          class="bar"
          :class="paint(segment)"
          :style="bar(segment)"
          :title="length(segment)"
        />
        <span class="took dim" :style="beside(row)">{{ words(row) }}</span>
      </div>
      <LoopItems
        v-if="row.items.size > 0"
        :row="row"
        :version="version"
        :chosen="shownItem[row.path]"
        :style="{ paddingLeft: `${indent * 14 + 24}px` }"
        @choose="showItem(row.path, $event)"
      />
    </div>
  </div>
  <ul v-if="stopped.length > 0" class="stops" aria-label="Stops of the service">
    <li v-for="stop in stopped" :key="stop.to">
      <span class="band sample" aria-hidden="true" />{{ stopWords(stop) }}
    </li>
  </ul>
  <p v-if="legend.length > 0" class="legend dim">
    <span v-for="[kind, what] in legend" :key="kind"
      ><span class="bar sample" :class="kind" aria-hidden="true" />{{ what }}</span
    >
  </p>
</template>

<style scoped>
.row {
  display: grid;
  grid-template-columns: minmax(180px, 34%) 1fr;
  gap: 4px 10px;
  align-items: center;
  padding: 3px 8px;
  border-radius: 4px;
}
.step {
  cursor: pointer;
}
.step:hover {
  background: var(--soft);
}
.step.selected {
  background: rgba(var(--v-theme-primary), 0.14);
}
.label {
  display: flex;
  align-items: center;
  gap: 6px;
  min-width: 0;
}
.name {
  min-width: 0;
}
.title {
  font-size: 0.8rem;
  margin-left: 8px;
}
.track {
  position: relative;
  height: 16px;
}
.axis .track {
  border-bottom: 1px solid var(--line);
}
.tick {
  position: absolute;
  font-size: 0.7rem;
  color: var(--dim);
  white-space: nowrap;
  transform: translateX(-50%);
}
.tick:first-child {
  transform: none;
}
.bar {
  position: absolute;
  top: 3px;
  height: 10px;
  border-radius: 2px;
  background: rgb(var(--v-theme-info));
}
.band {
  position: absolute;
  top: -3px;
  bottom: -3px;
  background: repeating-linear-gradient(-45deg, var(--line) 0 3px, transparent 3px 6px);
}
.stops {
  list-style: none;
  padding: 4px 8px 0;
  font-size: 0.8rem;
}
.band.sample {
  position: static;
  display: inline-block;
  width: 18px;
  height: 10px;
  margin-right: 6px;
}
.took {
  position: absolute;
  top: 0;
  line-height: 16px;
  font-size: 0.75rem;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.legend {
  display: flex;
  flex-wrap: wrap;
  gap: 14px;
  padding: 8px 8px 2px;
  font-size: 0.8125rem;
}
.legend > span {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.bar.sample {
  position: static;
  display: inline-block;
  width: 18px;
}
.bar.good {
  background: rgb(var(--v-theme-success));
}
.bar.bad {
  background: rgb(var(--v-theme-error));
}
.bar.pretended {
  background: none;
  border: 1px dashed currentColor;
}
.bar.inside {
  top: 7px;
  height: 2px;
  background: currentColor;
  opacity: 0.35;
}
.bar.backing-off,
.bar.rate-limit,
.bar.wait {
  background: repeating-linear-gradient(-45deg, rgba(128, 128, 128, 0.55) 0 2px, transparent 2px 5px);
  outline: 1px solid var(--line);
  outline-offset: -1px;
}
.bar.going {
  background: linear-gradient(90deg, rgb(var(--v-theme-info)) 50%, rgba(var(--v-theme-info), 0.45) 50%);
  background-size: 16px 100%;
  animation: going 0.8s linear infinite;
}
@keyframes going {
  to {
    background-position: 16px 0;
  }
}
@media (prefers-reduced-motion: reduce) {
  .bar.going {
    animation: none;
  }
}
@media (max-width: 700px) {
  .row {
    grid-template-columns: 45% 1fr;
  }
  .title {
    display: none;
  }
}
</style>
