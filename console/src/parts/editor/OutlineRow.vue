<script setup lang="ts">
import type { EditorLine } from "@copper-kettle/core";
import { mdiDotsHorizontal, mdiPlus } from "@mdi/js";
import { computed, ref, watch } from "vue";
import type { Action } from "../../editor/messages.js";
import type { Outline } from "../../editor/outline.js";
import { useSession } from "../../editor/session.js";
import { stepIcons } from "../../logic/step-icons.js";
import GlyphIcon from "../shared/GlyphIcon.vue";
import StateMark from "../shared/StateMark.vue";
import OutlineBelow from "./OutlineBelow.vue";
import RowMenu from "./RowMenu.vue";

/** One line of the outline: its place in the file, its kind, what it does, and what became of it in the chosen run. */
const props = defineProps<{ line: EditorLine; outline: Outline }>();
/** With the line, so that all rows have the same listeners: one is drawn again only when something of it changes. */
const emit = defineEmits<{ act: [action: Action]; copy: [line: EditorLine]; paste: [line: EditorLine] }>();
const { values, chosen, breakpoints, pause, scope, marks } = useSession();
// What changes with every check or answer is looked at here, line by line: else all of them would be drawn again.
const mark = computed(() => marks.value.get(props.line.id));
/** What stands here cannot be read at the chosen line. */
const isDimmed = computed(() => {
  const { names } = scope;
  const isOther = props.line.what === "step" && props.line.id !== chosen.value;
  return isOther && names.value.size > 0 && !names.value.has(`steps.${props.line.name}`);
});
const { unfolded, adding, breaking, dragging } = props.outline;
const isUnfolded = computed(() => unfolded.value.has(props.line.id));
const isOver = computed(() => dragging.target.value === props.line.id);
const isOpen = computed(
  () =>
    isUnfolded.value ||
    isOver.value ||
    breaking.value === props.line.id ||
    adding.value?.at === props.line.id,
);
const hasValues = computed(() => props.line.what === "step" && scope.known.value.has(props.line.name));
const breakpoint = computed(() => (props.line.what === "step" ? breakpoints.of(props.line.name) : undefined));
const isPausedHere = computed(() => props.line.what === "step" && pause.at.value?.step === props.line.name);
/** When tests pause before the step, in words. */
const pauses = computed(() => {
  const at = breakpoint.value;
  if (!at) return `Let tests pause before ${props.line.name}`;
  const item = at.item === undefined ? "" : `, at item ${at.item}`;
  return `Tests pause before ${props.line.name}${item}${at.when === undefined ? "" : `, where ${at.when}`}`;
});
function toggleBreakpoint(): void {
  const { name } = props.line;
  breakpoints.set(name, breakpoint.value ? undefined : { step: name });
}
const act = (action: Action): void => emit("act", action);
const state = computed(() => (props.line.what === "step" ? values.stateOf(props.line.name) : undefined));
const isChosen = computed(() => props.line.id === chosen.value);
const label = computed(() => {
  const { what, kind, name } = props.line;
  if (what === "branch") return `branch ${kind}`;
  return what === "step" ? `step ${name}, ${kind}` : `${what} ${name}`;
});
const title = computed(() =>
  props.line.what === "file" ? (props.line.title ?? props.line.name) : props.line.name,
);
const about = computed(() => {
  const { what, summary } = props.line;
  return what === "file" ? (summary ? `inputs: ${summary}` : "no inputs") : summary;
});
const more = ref<HTMLElement>();
const isMenuOpen = ref(false);
/** A menu is made when it is first opened: hundreds of lines have one. */
const hasMenu = ref(false);
watch(isMenuOpen, () => (hasMenu.value = true));
</script>

<template>
  <div
    class="line"
    :class="{ chosen: isChosen, dimmed: isDimmed, over: isOver, branch: line.what === 'branch' }"
    :data-id="line.id"
    role="treeitem"
    :tabindex="isChosen || (chosen === '' && line.what === 'file') ? 0 : -1"
    :aria-selected="isChosen"
    :aria-level="line.depth + 1"
    :draggable="line.what === 'step'"
  >
    <span class="heard">{{ label }}</span>
    <button
      v-if="line.what === 'step'"
      type="button"
      class="number mono"
      :class="{
        breaks: breakpoint,
        partly: breakpoint?.item !== undefined || breakpoint?.when !== undefined,
      }"
      tabindex="-1"
      :aria-pressed="breakpoint !== undefined"
      :title="pauses"
      @click.stop="toggleBreakpoint"
    >
      {{ isPausedHere ? "▶" : "" }}{{ line.line }}<span class="heard">: {{ pauses }}</span>
    </button>
    <span v-else class="number mono">{{ line.line }}</span>
    <span class="indent" :style="{ width: `${line.depth * 18}px` }" />
    <template v-if="line.what === 'branch'">
      <span class="word">{{ line.kind }}</span>
      <span class="dim mono cut">{{ line.summary }}</span>
    </template>
    <template v-else>
      <GlyphIcon :path="stepIcons[line.what === 'file' ? 'file' : line.kind] ?? ''" class="dim" />
      <span class="words">
        <span class="first"
          ><b>{{ title }}</b>
          <span v-if="line.title && line.what !== 'file'" class="ml-1">{{ line.title }}</span>
          <span v-if="line.what !== 'step'" class="dim ml-1">{{ about }}</span></span
        >
        <span v-if="line.what === 'step'" class="second mono dim cut">{{ line.summary }}</span>
      </span>
    </template>
    <span v-if="mark" :class="mark === 'error' ? 'text-error' : 'text-warning'"
      >▲<span class="heard"> {{ mark }}</span></span
    >
    <span v-if="state" class="state">
      <StateMark :state="state.state" bare />
      <span class="dim">{{ state.words }}</span>
    </span>
    <button
      v-if="hasValues"
      type="button"
      class="fold dim"
      tabindex="-1"
      :aria-label="`Values of ${line.name}`"
      :aria-expanded="isUnfolded"
      @click.stop="outline.toggle(line)"
    >
      {{ isUnfolded ? "▾" : "▸" }}
    </button>
    <button
      v-if="line.what !== 'trigger' && line.what !== 'file'"
      type="button"
      class="plus"
      tabindex="-1"
      :aria-label="line.what === 'branch' ? `Add a step to ${line.kind}` : `Add a step behind ${line.name}`"
      @click.stop="outline.beginAdding(line)"
    >
      <GlyphIcon :path="mdiPlus" />
    </button>
    <button
      v-if="line.what === 'step' || line.what === 'trigger'"
      ref="more"
      type="button"
      class="plus"
      tabindex="-1"
      aria-haspopup="menu"
      :aria-expanded="isMenuOpen"
      :aria-label="`More for ${line.name}`"
      @click.stop="isMenuOpen = true"
    >
      <GlyphIcon :path="mdiDotsHorizontal" />
    </button>
    <RowMenu
      v-if="hasMenu"
      v-model="isMenuOpen"
      :line="line"
      :target="more"
      :has-breakpoint="breakpoint !== undefined"
      @act="act"
      @copy="emit('copy', line)"
      @paste="emit('paste', line)"
      @breaks="breaking = line.id"
    />
  </div>
  <OutlineBelow v-if="isOpen" :line="line" :outline="outline" />
</template>

<style scoped>
.line {
  display: flex;
  align-items: flex-start;
  gap: 8px;
  padding: 5px 12px 5px 8px;
  border-left: 3px solid transparent;
  cursor: pointer;
  /* What changes in it is drawn without a look at the others. */
  contain: content;
}
.line:hover {
  background: color-mix(in srgb, var(--soft) 50%, transparent);
}
.line.chosen {
  background: var(--soft);
  border-left-color: var(--copper);
}
.line.over {
  box-shadow: inset 0 -2px 0 var(--copper);
}
.line:focus-visible {
  outline: 2px solid var(--copper);
  outline-offset: -2px;
}
.line.dimmed .words {
  color: var(--dim);
}
.line.branch {
  padding-top: 2px;
  padding-bottom: 2px;
}
.word {
  font-weight: 600;
  font-size: 0.8125rem;
  color: var(--dim);
}
.number {
  width: 34px;
  flex: none;
  text-align: right;
  color: var(--dim);
}
button.number:hover {
  color: var(--copper);
}
.number.breaks {
  border-radius: 4px;
  padding-right: 4px;
  background: var(--copper);
  color: rgb(var(--v-theme-on-primary));
}
.number.partly {
  background: none;
  color: var(--copper);
  box-shadow: inset 0 0 0 1px var(--copper);
}
.indent {
  flex: none;
}
.words {
  flex: 1;
  min-width: 0;
  display: grid;
}
.first,
.second {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.state {
  display: inline-flex;
  gap: 4px;
  align-items: center;
  white-space: nowrap;
  font-size: 0.875rem;
}
.fold {
  width: 16px;
}
.plus {
  visibility: hidden;
  color: var(--copper);
}
.line:hover .plus,
.line.chosen .plus,
.line:focus-within .plus {
  visibility: visible;
}
@media (max-width: 600px) {
  .number,
  .state .dim {
    display: none;
  }
}
</style>
