<script setup lang="ts">
import { insertion, printJson, type EditorLine, type JsonObject, type StepPlace } from "@copper-kettle/core";
import { computed, nextTick, ref, watch } from "vue";
import { ask } from "../../editor/asking.js";
import { useDragging } from "../../editor/dragging.js";
import { useGrowing } from "../../editor/growing.js";
import { behind, endOf } from "../../editor/places.js";
import { valueUses } from "../../editor/uses.js";
import { useSession } from "../../editor/session.js";
import AddBox from "./AddBox.vue";
import BreakpointBox from "./BreakpointBox.vue";
import OutlineEnd from "./OutlineEnd.vue";
import OutlineRow from "./OutlineRow.vue";
import ValueTree from "../shared/ValueTree.vue";

/** The workflow from its triggers down. Everything goes by keyboard, too: `?` lists the keys. */
const emit = defineEmits<{ opened: [] }>();
const { document, values, chosen, choose, scope, caret, loops, breakpoints } = useSession();
const place = ref<HTMLElement>();
const search = ref("");
/** Where a step is being added. */
const adding = ref<{ place: StepPlace; at: string }>();
const unfolded = ref(new Set<string>());

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
const problemsAt = computed(() => {
  const marks = new Map<string, "error" | "warning">();
  const lines = document.lines.value.filter(({ what }) => what !== "branch");
  for (const { line, severity } of document.problems.value) {
    if (severity === "advice") continue;
    const at = lines.findLast((one) => one.line <= line);
    if (at && marks.get(at.id) !== "error") marks.set(at.id, severity);
  }
  return marks;
});
/** A picked value goes into the field that had the focus last, in the form that it wants; without one to the clipboard. */
function pickValue(code: string, isNull: boolean): void {
  if (caret.value) caret.value.insert(insertion(code, caret.value.kind, isNull));
  else void navigator.clipboard.writeText(code).catch(() => undefined);
}
const uses = valueUses(document, choose);
const isDimmed = (line: EditorLine): boolean =>
  line.what === "step" &&
  line.id !== chosen.value &&
  scope.names.value.size > 0 &&
  !scope.names.value.has(`steps.${line.name}`);

const placeBehind = (line: EditorLine): StepPlace => behind(document, line);
const atEnd = (): StepPlace => endOf(document);
function beginAdding(line?: EditorLine): void {
  adding.value = line ? { place: placeBehind(line), at: line.id } : { place: atEnd(), at: "end" };
}

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
  if (text !== "") await act({ do: "paste", place: placeBehind(line), text });
}
function toggle(line: EditorLine): void {
  const next = new Set(unfolded.value);
  if (!next.delete(line.id)) next.add(line.id);
  unfolded.value = next;
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
        if (!unfolded.value.has(line.id)) toggle(line);
        return;
      case "ArrowLeft":
        if (unfolded.value.has(line.id)) toggle(line);
        return;
      case "Enter":
        if (mod || line.what === "branch") return beginAdding(line);
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
const dragging = useDragging(
  document,
  placeBehind,
  (from, to) => void act({ do: "move", path: from, place: to }),
);

/** The step of which it is asked when tests pause before it. */
const asked = ref<string>();

/** All values, with the items of the loops around the chosen line. */
const all = computed<JsonObject>(() => ({ ...scope.values.value, ...loops.locals.value }));
watch(
  () => document.lines.value.length,
  () => {
    if (adding.value && document.isOld.value) adding.value = undefined;
  },
);
defineExpose({
  add: () => beginAdding(current.value),
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
      <template v-for="line in shown" :key="line.id">
        <OutlineRow
          :line="line"
          :class="{ over: dragging.target.value === line.id }"
          :dimmed="isDimmed(line)"
          :mark="problemsAt.get(line.id)"
          :unfolded="unfolded.has(line.id)"
          @act="act"
          @add="beginAdding(line)"
          @toggle="toggle(line)"
          @copy="copy(line)"
          @paste="paste(line)"
          @breaks="asked = line.id"
        />
        <p
          v-if="dragging.target.value === line.id && dragging.wouldBreak.value.length > 0"
          class="text-warning breaks"
          role="status"
        >
          {{ dragging.wouldBreak.value.join(" ") }}
        </p>
        <div v-if="unfolded.has(line.id)" class="tree" :style="{ marginLeft: `${66 + line.depth * 18}px` }">
          <p v-if="scope.isSample(line.name)" class="dim">
            A sample: the chosen run has no values of this step.
          </p>
          <ValueTree
            :value="scope.valueOf(line.name)"
            :name="line.name"
            :path="['steps', line.name]"
            :root="all"
            :uses="uses"
            @pick="pickValue"
          />
        </div>
        <BreakpointBox v-if="asked === line.id" :line="line" @close="asked = undefined" />
        <AddBox v-if="adding?.at === line.id" :place="adding.place" @close="adding = undefined" />
      </template>
      <AddBox v-if="adding?.at === 'end'" :place="adding.place" @close="adding = undefined" />
    </div>
    <OutlineEnd :scope="all" @add="beginAdding()" @pick="pickValue" />
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
.old {
  padding: 6px 12px;
}
.grey {
  opacity: 0.6;
}
.breaks {
  padding: 2px 12px 4px 66px;
}
.tree {
  margin: 2px 12px 6px 66px;
  padding-left: 6px;
  border-left: 2px solid var(--soft);
  overflow: hidden;
}
</style>
