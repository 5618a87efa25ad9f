<script setup lang="ts">
import { runsRoutes } from "@copper-kettle/contract";
import { mdiMagnify } from "@mdi/js";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api } from "../../api.js";
import { lazyCatalogue } from "../../logic/known.js";
import { when } from "../../logic/format.js";
import { found, type Place } from "../../logic/search.js";

/** One search over all that has a name here. `/` goes to it from anywhere; what is typed is looked for at once. */
const router = useRouter();
const field = ref<HTMLInputElement>();
const text = ref("");
const isOpen = ref(false);
const at = ref(0);
const { catalogue, load } = lazyCatalogue();
const runs = ref<Place[]>([]);
const results = computed(() => [...found(places.value, text.value), ...runs.value].slice(0, 12));

const places = computed<Place[]>(() => [
  ...catalogue.value.workflows.map(({ name, title }) => ({
    kind: "workflow",
    name,
    title: title ?? "",
    to: `/workflows/${name}`,
  })),
  ...catalogue.value.apis.flatMap(({ name, title, operations }) => [
    { kind: "API", name, title, to: `/apis/${name}` },
    ...operations.map((one) => ({
      kind: "operation",
      name: `${name}.${one.id}`,
      title: one.title,
      to: `/apis/${name}/${one.id}`,
    })),
  ]),
  ...catalogue.value.credentials.map(({ name, kind }) => ({
    kind: "credential",
    name,
    title: kind,
    to: `/credentials/${name}`,
  })),
]);
let asked = 0;
let typing: ReturnType<typeof setTimeout> | undefined;
watch(text, (wanted) => {
  at.value = 0;
  clearTimeout(typing);
  runs.value = [];
  if (wanted.trim().length < 3) return;
  typing = setTimeout(async () => {
    const mine = ++asked;
    const answer = await api
      .call(runsRoutes.listRuns, { query: { text: wanted.trim(), limit: 5 } })
      .catch(() => ({ runs: [] }));
    if (mine !== asked) return;
    runs.value = answer.runs.map(({ id, workflow, state, createdAt }) => ({
      kind: "run",
      name: id,
      title: `${workflow}, ${state}, ${when(createdAt)}`,
      to: `/runs/${id}`,
    }));
  }, 250);
});
function open(): void {
  isOpen.value = true;
  void load();
}
function go(place: Place | undefined): void {
  if (!place) return;
  close();
  void router.push(place.to);
}
function close(): void {
  isOpen.value = false;
  text.value = "";
  field.value?.blur();
}
function move(by: number): void {
  at.value = (at.value + by + results.value.length) % Math.max(1, results.value.length);
}
function onKey(event: KeyboardEvent): void {
  const target = event.target as HTMLElement;
  if (event.key !== "/" || event.ctrlKey || event.metaKey || event.altKey) return;
  if (/^(INPUT|TEXTAREA|SELECT)$/.test(target.tagName) || target.isContentEditable) return;
  event.preventDefault();
  field.value?.focus();
}
onMounted(() => document.addEventListener("keydown", onKey));
onBeforeUnmount(() => document.removeEventListener("keydown", onKey));
</script>

<template>
  <div class="search" role="search">
    <input
      ref="field"
      v-model="text"
      type="text"
      role="combobox"
      aria-label="Search everything"
      aria-autocomplete="list"
      aria-controls="search-results"
      :aria-expanded="isOpen && text.trim() !== ''"
      :aria-activedescendant="results[at] ? `search-${at}` : undefined"
      placeholder="Search everything"
      autocomplete="off"
      spellcheck="false"
      @focus="open"
      @blur="isOpen = false"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="go(results[at])"
      @keydown.esc.prevent="close"
    />
    <v-icon :icon="mdiMagnify" size="20" class="glass" aria-hidden="true" />
    <kbd aria-hidden="true">/</kbd>
    <div v-if="isOpen && text.trim() !== ''" class="results">
      <p v-if="results.length === 0" class="dim pa-2" role="status">
        Nothing has “{{ text.trim() }}” in its name.
      </p>
      <ul id="search-results" role="listbox" aria-label="Found">
        <li
          v-for="(place, index) in results"
          :id="`search-${index}`"
          :key="place.to"
          role="option"
          :aria-selected="index === at"
          :class="{ chosen: index === at }"
          @mousedown.prevent="go(place)"
          @mouseenter="at = index"
        >
          <span class="dim kind">{{ place.kind }}</span>
          <span class="mono">{{ place.name }}</span>
          <span class="dim cut">{{ place.title }}</span>
        </li>
      </ul>
    </div>
  </div>
</template>

<style scoped>
.search {
  position: relative;
  width: 210px;
  flex: 0 1 210px;
}
input {
  width: 100%;
  height: 30px;
  padding: 0 30px 0 10px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: rgb(var(--v-theme-surface));
  color: inherit;
  font: inherit;
}
input::placeholder {
  color: var(--dim);
  opacity: 1;
}
input:focus {
  outline: 2px solid var(--copper);
}
kbd {
  position: absolute;
  right: 6px;
  top: 5px;
  line-height: 18px;
}
.results {
  position: absolute;
  top: 34px;
  right: 0;
  width: min(460px, 92vw);
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
  border-radius: 6px;
  z-index: 30;
  overflow: hidden;
}
ul {
  list-style: none;
}
li {
  display: flex;
  gap: 10px;
  align-items: baseline;
  padding: 5px 12px;
  cursor: pointer;
  white-space: nowrap;
}
li.chosen {
  background: var(--soft);
}
.kind {
  width: 76px;
  flex: none;
  font-size: 0.8125rem;
}
@media (max-width: 900px) {
  .search {
    width: 120px;
  }
  kbd {
    display: none;
  }
}
/* A glass, over the whole bar once it is touched. */
.glass {
  display: none;
}
@media (max-width: 600px) {
  .search {
    flex: none;
    width: 34px;
  }
  .search input {
    padding: 0 0 0 34px;
    cursor: pointer;
  }
  .glass {
    display: block;
    position: absolute;
    top: 5px;
    left: 7px;
    pointer-events: none;
  }
  .search:focus-within {
    position: absolute;
    inset: 7px 8px auto;
    width: auto;
    z-index: 5;
  }
  .search:focus-within input {
    cursor: text;
  }
  .results {
    left: 0;
    width: auto;
  }
}
</style>
