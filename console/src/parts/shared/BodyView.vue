<script setup lang="ts">
import { briefJson, parseJson, printJson, type Json } from "@copper-kettle/core";
import { computed, ref } from "vue";
import { fileOf } from "../../logic/files.js";
import { bodyView, likeObjects } from "../../logic/like-objects.js";
import JsonTree from "./JsonTree.vue";

/** A body: JSON as a tree, as a table where it holds a list of like objects, or as it is written; a picture; all else as text. */
/** `body` is a Json; declared as unknown, since an empty text would else be taken for true. */
/** `run` is whose files the body may name. */
const props = defineProps<{ body: unknown; asText?: boolean; run?: string }>();
const value = computed<Json | undefined>(() => {
  if (props.body === undefined || props.body === null) return undefined;
  if (!props.asText || typeof props.body !== "string") return props.body as Json;
  try {
    return parseJson(props.body);
  } catch {
    return props.body;
  }
});
const file = computed(() => fileOf(props.run, value.value));
/** The picture that the browser could not show. */
const failed = ref<string>();
const isBroken = computed(() => file.value?.isPicture && failed.value === file.value.address);
const list = computed(() => likeObjects(value.value));
const view = computed({
  get: () => (bodyView.value === "table" && !list.value ? "tree" : bodyView.value),
  set: (chosen) => (bodyView.value = chosen),
});
const most = ref(100);
/** Longer texts are cut: a page does not show megabytes. */
const longest = 200_000;
const raw = computed(() => {
  if (view.value !== "raw" || value.value === undefined) return "";
  // A long one is not even laid out: that would take as long as it is.
  const brief = briefJson(value.value, longest);
  return brief.length < longest ? printJson(value.value, 2) : `${brief} and more, which is not shown`;
});
const cell = (one: Json | undefined): string => {
  if (typeof one === "string") return one.length > 60 ? `${one.slice(0, 59)}…` : one;
  return one === undefined ? "" : briefJson(one, 60);
};
const views = computed(() => [
  { value: "tree" as const, title: "Tree" },
  ...(list.value ? [{ value: "table" as const, title: "Table" }] : []),
  { value: "raw" as const, title: "Raw" },
]);
</script>

<template>
  <p v-if="value === undefined" class="dim">no body</p>
  <pre v-else-if="typeof value === 'string'" class="mono text">{{ value }}</pre>
  <div v-else class="view">
    <template v-if="file">
      <img
        v-if="file.isPicture && !isBroken"
        :src="file.address"
        :alt="file.name"
        @error="failed = file.address"
      />
      <p v-if="isBroken" class="dim">The picture is not shown: it is gone, or a secret shows in it.</p>
      <p>
        <a :href="file.address" :download="file.name">Download {{ file.name }}</a> ({{ file.about }})
      </p>
    </template>
    <div class="views" role="group" aria-label="How the body is shown">
      <button
        v-for="one in views"
        :key="one.value"
        type="button"
        :aria-pressed="view === one.value"
        @click="view = one.value"
      >
        {{ one.title }}
      </button>
    </div>
    <pre v-if="view === 'raw'" class="mono text">{{ raw }}</pre>
    <div v-else-if="view === 'table' && list" class="wide">
      <table class="lines" :aria-label="list.at === '' ? 'Items' : list.at">
        <thead>
          <tr>
            <th v-for="column in list.columns" :key="column" class="mono">{{ column }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(row, index) in list.rows.slice(0, most)" :key="index">
            <td
              v-for="column in list.columns"
              :key="column"
              :class="{ 'text-right': typeof row[column] === 'number' }"
            >
              {{ cell(row[column]) }}
            </td>
          </tr>
        </tbody>
      </table>
      <button v-if="list.rows.length > most" type="button" class="more" @click="most += 500">
        {{ list.rows.length - most }} more …
      </button>
    </div>
    <JsonTree v-else :value="value" />
  </div>
</template>

<style scoped>
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 400px;
  overflow: auto;
}
.view {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
img {
  max-width: 100%;
  max-height: 320px;
  justify-self: start;
  border: 1px solid var(--line);
}
.views {
  display: flex;
  gap: 10px;
  font-size: 0.8125rem;
  color: var(--dim);
}
.views button[aria-pressed="true"] {
  color: var(--copper);
  font-weight: 600;
}
.wide {
  max-height: 400px;
  overflow: auto;
}
.more {
  text-decoration: underline;
  color: var(--dim);
}
</style>
