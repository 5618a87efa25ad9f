<script setup lang="ts">
import type { EditorLine } from "@copper-kettle/core";
import { computed, nextTick, onMounted, ref } from "vue";
import type { EditorBreakpoint } from "../../editor/breakpoints.js";
import { useSession } from "../../editor/session.js";
import CodeField from "./CodeField.vue";

/** When tests pause before a step: always, at one item of its loop, or where an expression is true. */
const props = defineProps<{ line: EditorLine }>();
const emit = defineEmits<{ close: [] }>();
const { breakpoints, document } = useSession();
const name = computed(() => props.line.name);
const there = breakpoints.of(props.line.name);
const item = ref(String(there?.item ?? ""));
const when = ref(there?.when ?? "");
/** The innermost loop around it. */
const loop = computed(
  () =>
    document.lines.value.findLast(({ kind, id }) => kind === "each" && props.line.id.startsWith(`${id}.`))
      ?.name,
);
const root = ref<HTMLElement>();
onMounted(() => nextTick(() => root.value?.querySelector<HTMLElement>("input, .cm-content")?.focus()));

function save(): void {
  // What is typed at this moment belongs to it.
  for (const give of document.typing) give();
  const number = Number(item.value);
  const next: EditorBreakpoint = { step: name.value };
  if (item.value.trim() !== "" && Number.isInteger(number) && number >= 0) next.item = number;
  if (when.value.trim() !== "") next.when = when.value.trim();
  breakpoints.set(name.value, next);
  emit("close");
}
function remove(): void {
  breakpoints.set(name.value, undefined);
  emit("close");
}
</script>

<template>
  <form
    ref="root"
    class="card box"
    :aria-label="`Pause before ${name}`"
    @submit.prevent="save"
    @keydown.esc="emit('close')"
  >
    <b>Tests pause before {{ name }}</b>
    <label v-if="loop !== undefined">
      <span class="dim">only at item</span>
      <input v-model="item" type="number" min="0" placeholder="any" aria-label="Only at item" />
      <span class="dim">from 0, as in {{ loop }}[0]</span>
    </label>
    <div class="when">
      <span class="dim">only where</span>
      <CodeField
        v-model="when"
        kind="expression"
        label="Only where"
        hint="an expression that is true, such as hut.beds > 20"
      />
    </div>
    <div class="d-flex ga-2">
      <v-btn type="submit" size="small" color="primary" variant="flat">Set the breakpoint</v-btn>
      <v-btn v-if="there" size="small" @click="remove">Remove it</v-btn>
      <v-btn size="small" variant="text" @click="emit('close')">Cancel</v-btn>
    </div>
  </form>
</template>

<style scoped>
.box {
  display: grid;
  gap: 8px;
  padding: 10px 12px;
  margin: 4px 12px 8px 52px;
  overflow: visible;
}
label,
.when {
  display: flex;
  gap: 8px;
  align-items: center;
}
.when > :last-child {
  flex: 1;
}
input {
  width: 72px;
  padding: 3px 6px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: none;
  color: inherit;
  font: inherit;
}
</style>
