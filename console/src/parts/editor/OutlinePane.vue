<script setup lang="ts">
import { printJson, type EditorLine } from "@copper-kettle/core";
import { computed, nextTick, ref, watch } from "vue";
import { ask } from "../../editor/asking.js";
import { useGrowing } from "../../editor/growing.js";
import { useOutline } from "../../editor/outline.js";
import { behind } from "../../editor/places.js";
import { useSession } from "../../editor/session.js";
import AddBox from "./AddBox.vue";
import OutlineEnd from "./OutlineEnd.vue";
import OutlineRow from "./OutlineRow.vue";

/** The workflow from its triggers down. Everything goes by keyboard, too: `?` lists the keys. */
const emit = defineEmits<{ opened: [] }>();
const session = useSession();
const { document, values, chosen, choose, scope, breakpoints } = session;
const outline = useOutline(session, (from, to) => void act({ do: "move", path: from, place: to }));
const { dragging, adding } = outline;
const place = ref<HTMLElement>();
const search = ref("");

const wanted = computed(() => search.value.trim().toLowerCase());
/** The steps in whose values it is: looked for beside the page, once nothing was typed for a moment. */
const inValues = ref<ReadonlySet<string>>(new Set());
let looking: ReturnType<typeof setTimeout> | undefined;
watch([wanted, scope.values], ([text]) => {
  clearTimeout(looking);
  if (text === "") return void (inValues.value = new Set());
  looking = setTimeout(() => {
    void ask("search", { text })
      .then((names) => {
        if (text === wanted.value) inValues.value = new Set(names);
      })
      .catch(() => undefined);
  }, 150);
});
const found = computed(() => {
  if (wanted.value === "") return document.lines.value;
  return document.lines.value.filter(
    (line) =>
      `${line.name} ${line.title ?? ""} ${line.summary} ${line.kind}`.toLowerCase().includes(wanted.value) ||
      (line.what === "step" && inValues.value.has(line.name)),
  );
});
const shown = useGrowing(found);
function lineOf(id: string): HTMLElement | null | undefined {
  return place.value?.querySelector<HTMLElement>(`[data-id="${CSS.escape(id)}"]`);
}
/** The line in which something happens; not what is unfolded below it. */
function lineAt(event: Event): EditorLine | undefined {
  const id = (event.target as HTMLElement).closest<HTMLElement>("[data-id]")?.dataset["id"];
  return found.value.find((line) => line.id === id);
}
function onClick(event: MouseEvent): void {
  const line = lineAt(event);
  if (line) choose(line.id);
}
function moveTo(by: number): void {
  const lines = found.value;
  const at = lines.findIndex(({ id }) => id === chosen.value);
  const next = lines[Math.min(lines.length - 1, Math.max(0, at + by))];
  if (!next) return;
  choose(next.id);
  void nextTick(() => lineOf(next.id)?.focus());
}
const current = computed(() => document.lines.value.find(({ id }) => id === chosen.value));
async function act(action: Parameters<typeof document.act>[0]): Promise<void> {
  const path = await document.act(action);
  if (!path) return;
  const id = document.lines.value.find(
    (line) => printJson(line.path as never) === printJson(path as never),
  )?.id;
  if (id !== undefined) {
    choose(id);
    await nextTick();
    lineOf(id)?.focus();
  }
}
async function copy(line: EditorLine): Promise<void> {
  const text = await ask("copy", { text: document.text.value, path: line.path });
  await navigator.clipboard.writeText(text);
}
async function paste(line: EditorLine): Promise<void> {
  const text = await navigator.clipboard.readText().catch(() => "");
  if (text !== "") await act({ do: "paste", place: behind(document, line), text });
}
function onKey(event: KeyboardEvent): void {
  const line = lineAt(event);
  // A button within a line has keys of its own.
  if (!line || (event.target as HTMLElement).dataset["id"] === undefined) return;
  const mod = event.ctrlKey || event.metaKey;
  const done = (() => {
    switch (event.key) {
      case "ArrowDown":
        if (event.altKey) return line.what === "step" && act({ do: "shift", path: line.path, by: 1 });
        return moveTo(1);
      case "ArrowUp":
        if (event.altKey) return line.what === "step" && act({ do: "shift", path: line.path, by: -1 });
        return moveTo(-1);
      case "ArrowRight":
        if (!outline.unfolded.value.has(line.id)) outline.toggle(line);
        return;
      case "ArrowLeft":
        if (outline.unfolded.value.has(line.id)) outline.toggle(line);
        return;
      case "Enter":
        if (mod || line.what === "branch") return outline.beginAdding(line);
        choose(line.id);
        return emit("opened");
      case "Delete":
      case "Backspace":
        return line.what === "step"
          ? act({ do: "remove", path: line.path })
          : line.what === "trigger" && act({ do: "unset", path: line.path });
      case "b": {
        if (mod || line.what !== "step") return "no";
        const { name } = line;
        return breakpoints.set(name, breakpoints.of(name) ? undefined : { step: name });
      }
      case "d":
        return mod && line.what === "step" ? act({ do: "duplicate", path: line.path }) : "no";
      case "c":
        return mod && line.what === "step" && String(getSelection()) === "" ? copy(line) : "no";
      case "x":
        if (!mod || line.what !== "step") return "no";
        return copy(line).then(() => act({ do: "remove", path: line.path }));
      case "v":
        return mod ? paste(line) : "no";
      default:
        return "no";
    }
  })();
  if (done !== "no") event.preventDefault();
}
watch(
  () => document.lines.value.length,
  () => {
    if (adding.value && document.isOld.value) adding.value = undefined;
  },
);
defineExpose({
  add: () => outline.beginAdding(current.value),
  focus: () => lineOf(chosen.value)?.focus(),
});
</script>

<template>
  <div class="pane">
    <div class="tools">
      <input
        v-model="search"
        class="search"
        type="search"
        placeholder="Steps and values"
        aria-label="Search steps and values"
      />
      <v-select
        v-model="values.chosen.value"
        :items="
          values.runs.value.map(({ id, state, createdAt, version, rehearsal }) => ({
            value: id,
            title: `${new Date(createdAt).toLocaleTimeString([], { hour12: false })} ${version === 0 ? 'test' : `version ${version}`}, ${state}${rehearsal ? ', rehearsal' : ''}`,
          }))
        "
        placeholder="no run yet"
        aria-label="Values of the run"
        class="of"
      />
    </div>
    <p v-if="document.isOld.value" class="text-error old" role="status">
      The text cannot be read as it is: this is the outline as it was.
      {{
        document.problems.value[0]
          ? `Line ${document.problems.value[0].line}: ${document.problems.value[0].message}`
          : ""
      }}
    </p>
    <div
      ref="place"
      class="lines"
      role="tree"
      aria-label="Outline"
      :class="{ grey: document.isOld.value }"
      @click="onClick"
      @keydown="onKey"
      @dragstart="dragging.start(lineAt($event))"
      @dragend="dragging.end()"
      @dragover="dragging.over($event, lineAt($event))"
      @drop="dragging.drop($event, lineAt($event))"
    >
      <div v-for="(group, index) in shown" :key="index" v-memo="[group]" class="group">
        <OutlineRow
          v-for="line in group"
          :key="line.id"
          :line="line"
          :outline="outline"
          @act="act"
          @copy="copy"
          @paste="paste"
        />
      </div>
      <AddBox v-if="adding?.at === 'end'" :place="adding.place" @close="adding = undefined" />
    </div>
    <OutlineEnd :outline="outline" />
  </div>
</template>

<style scoped>
.pane {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.tools {
  display: flex;
  flex: none;
  gap: 8px;
  padding: 8px 12px;
  align-items: center;
  border-bottom: 1px solid var(--line);
}
.search {
  flex: 1;
  min-width: 0;
  height: 32px;
  padding: 0 10px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: none;
  color: inherit;
  font: inherit;
}
.of {
  max-width: 230px;
}
.group {
  /* What is out of sight is not laid out: with 500 lines a key in a field would wait for it. */
  content-visibility: auto;
  contain-intrinsic-size: auto 960px;
}
/* What is open below a line has lists that reach beyond it. */
.group:has(> :not(.line)) {
  content-visibility: visible;
}
.old {
  padding: 6px 12px;
}
.grey {
  opacity: 0.6;
}
</style>
