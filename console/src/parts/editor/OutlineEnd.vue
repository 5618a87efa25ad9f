<script setup lang="ts">
import { isObject, newTrigger, triggerKinds, type JsonObject, type TriggerKind } from "@copper-kettle/core";
import { computed, ref } from "vue";
import type { Outline } from "../../editor/outline.js";
import { useSession } from "../../editor/session.js";
import ValueTree from "../shared/ValueTree.vue";

/** The end of the outline: another step, another trigger, and the values that belong to no step. */
const props = defineProps<{ outline: Outline }>();
const { document, choose, loops } = useSession();

/** Values that are read without a step: items of loops, inputs, constants. */
const others = computed(() =>
  Object.entries(props.outline.values.value)
    .filter(([name]) => name !== "steps")
    .sort(([a], [b]) => Number(b in loops.locals.value) - Number(a in loops.locals.value)),
);
const showsOthers = ref(false);
async function addTrigger(kind: TriggerKind): Promise<void> {
  const taken = document.valueAt(["triggers"]);
  const base =
    kind === "by-hand" ? "office" : kind === "schedule" ? "clock" : kind === "webhook" ? "delivery" : "look";
  let name: string = base;
  for (let count = 2; isObject(taken ?? null) && (taken as JsonObject)[name] !== undefined; count++)
    name = `${base}${count}`;
  const path = await document.act({
    do: "set",
    path: ["triggers", name],
    value: { [kind]: newTrigger(kind, `${document.name}-${name}`) },
  });
  if (path) choose(`triggers.${name}`);
}
</script>

<template>
  <div class="end">
    <button type="button" class="adder" @click="outline.beginAdding()">
      + Add a step: a kind, an operation, or paste a request <kbd>Ctrl ↵</kbd>
    </button>
    <v-menu>
      <template #activator="{ props: menu }"
        ><button type="button" class="adder" v-bind="menu">+ Add a trigger</button></template
      >
      <v-list density="compact">
        <v-list-item v-for="kind in triggerKinds" :key="kind" :title="kind" @click="addTrigger(kind)" />
      </v-list>
    </v-menu>
    <button
      v-if="others.length > 0"
      type="button"
      class="adder"
      :aria-expanded="showsOthers"
      @click="showsOthers = !showsOthers"
    >
      {{ showsOthers ? "▾" : "▸" }} Inputs, items, constants and variables
    </button>
    <div v-if="showsOthers" class="tree">
      <ValueTree
        v-for="[name, value] in others"
        :key="name"
        :value="value"
        :name="name"
        :path="[name]"
        :depth="1"
        :root="outline.values.value"
        :uses="outline.uses"
        @pick="outline.pick"
      />
    </div>
  </div>
</template>

<style scoped>
.tree {
  padding-left: 6px;
  border-left: 2px solid var(--soft);
  overflow: hidden;
  justify-self: stretch;
}
.end {
  display: grid;
  justify-items: start;
  gap: 2px;
  padding: 8px 12px 16px 52px;
}
.adder {
  color: var(--dim);
}
.adder:hover {
  color: var(--copper);
}
</style>
