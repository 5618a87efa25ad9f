<script setup lang="ts">
import {
  briefJson,
  firstWhere,
  printJson,
  printPath,
  valueAt,
  type Json,
  type JsonObject,
  type Path,
} from "@copper-kettle/core";
import { computed, ref } from "vue";
import { firstMembers, sizeOf } from "../../logic/members.js";
import type { ValueUse } from "../../logic/value-use.js";

/** A value as a tree: each name gives the path to its value, as an expression writes it. */
// `value` is a Json; declared as unknown, since an empty text would else be taken for true.
const props = withDefaults(
  defineProps<{
    value: unknown;
    name: string;
    path: Path;
    /** All values, in which the path leads to this one. */
    root: JsonObject;
    depth?: number;
    openTo?: number;
    /** What else can be made of a value here. */
    uses?: ((path: Path, value: Json) => ValueUse[]) | undefined;
  }>(),
  { depth: 0, openTo: 2, uses: undefined },
);
const emit = defineEmits<{ pick: [code: string, isNull: boolean] }>();
const json = computed(() => props.value as Json | undefined);
const open = ref(props.depth < props.openTo && !["headers", "cookies"].includes(props.name));
const most = ref(50);
const size = computed(() => sizeOf(json.value));
const entries = computed(() => firstMembers(json.value, most.value));
const brief = computed(() => briefJson(json.value ?? null, 90));
const code = computed(() => printPath(props.path));
/** Where the value is one of a list: the first item that is like it, which holds when the list changes. */
const first = computed(() =>
  isNear.value ? firstWhere(props.path, (path) => valueAt(props.root, path)) : undefined,
);
/** What can be made of a value is worked out for the one that somebody points at. */
const isNear = ref(false);
const shown = computed(() => (isNear.value ? (props.uses?.(props.path, json.value ?? null) ?? []) : []));
const kindOf = (value: Json | undefined): string => (value === null ? "null" : typeof value);

const pick = (what: string): void => emit("pick", what, json.value === null);
const copy = (text: string): void => void navigator.clipboard.writeText(text).catch(() => undefined);
</script>

<template>
  <div class="node mono">
    <div class="line" @mouseenter="isNear = true" @focusin="isNear = true">
      <button
        v-if="size > 0"
        type="button"
        class="fold"
        :aria-expanded="open"
        :aria-label="`${open ? 'Fold' : 'Unfold'} ${code}`"
        @click="open = !open"
      >
        {{ open ? "▾" : "▸" }}
      </button>
      <span v-else class="fold" />
      <button type="button" class="name" :title="`Insert ${code}`" @mousedown.prevent @click="pick(code)">
        {{ name }}
      </button>
      <span v-if="!open || size === 0" class="brief" :class="kindOf(json)">{{ brief }}</span>
      <span v-else class="dim">{{ Array.isArray(value) ? `${value.length} items` : "" }}</span>
      <span class="acts">
        <button type="button" @mousedown.prevent @click="pick(code)">Insert</button>
        <button v-if="first" type="button" :title="first" @mousedown.prevent @click="pick(first)">
          First where …
        </button>
        <button
          v-for="use in shown"
          :key="use.label"
          type="button"
          :title="use.title"
          @mousedown.prevent
          @click="use.run()"
        >
          {{ use.label }}
        </button>
        <button type="button" @mousedown.prevent @click="copy(code)">Copy path</button>
        <button type="button" @mousedown.prevent @click="copy(printJson(json ?? null))">Copy value</button>
      </span>
    </div>
    <div v-if="open && size > 0" class="inner">
      <ValueTree
        v-for="[key, inner] in entries"
        :key="key"
        :value="inner"
        :name="String(key)"
        :path="[...path, key]"
        :root="root"
        :depth="depth + 1"
        :open-to="openTo"
        :uses="uses"
        @pick="(what, isNull) => emit('pick', what, isNull)"
      />
      <button v-if="size > most" type="button" class="more" @click="most += 200">
        {{ size - most }} more …
      </button>
    </div>
  </div>
</template>

<style scoped>
.line {
  position: relative;
  container-type: inline-size;
  display: flex;
  gap: 6px;
  min-width: 0;
  line-height: 21px;
  border-radius: 3px;
}
.line:hover,
.line:focus-within {
  background: var(--soft);
}
.fold {
  width: 14px;
  flex: none;
}
.name {
  color: var(--copper);
  white-space: nowrap;
}
.name:hover {
  text-decoration: underline;
}
.brief {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.string {
  color: rgb(var(--v-theme-success));
}
.number,
.boolean {
  color: rgb(var(--v-theme-info));
}
.object,
.null {
  color: var(--dim);
}
.acts {
  display: none;
  position: absolute;
  z-index: 1;
  right: 0;
  flex-wrap: wrap;
  justify-content: flex-end;
  max-width: 100%;
  padding: 0 6px;
  gap: 0 10px;
  background: var(--soft);
  font-family: var(--sans);
  font-weight: 600;
  color: var(--copper);
}
/* Where the pane is narrow they stand below the value, in as many lines as they need. */
@container (max-width: 430px) {
  .acts {
    top: 100%;
  }
}
.line:hover > .acts,
.line:focus-within > .acts {
  display: flex;
}
.inner {
  padding-left: 14px;
}
.more {
  color: var(--copper);
  text-decoration: underline;
}
</style>
