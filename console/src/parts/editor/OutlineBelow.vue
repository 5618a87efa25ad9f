<script setup lang="ts">
import type { EditorLine } from "@copper-kettle/core";
import type { Outline } from "../../editor/outline.js";
import { useSession } from "../../editor/session.js";
import ValueTree from "../shared/ValueTree.vue";
import AddBox from "./AddBox.vue";
import BreakpointBox from "./BreakpointBox.vue";

/** What is open below a line of the outline: its values, when tests pause before it, the box for another step. */
const props = defineProps<{ line: EditorLine; outline: Outline }>();
const { scope } = useSession();
const { adding, breaking, dragging, unfolded } = props.outline;
</script>

<template>
  <p
    v-if="dragging.target.value === line.id && dragging.wouldBreak.value.length > 0"
    class="text-warning breaks"
    role="status"
  >
    {{ dragging.wouldBreak.value.join(" ") }}
  </p>
  <div v-if="unfolded.has(line.id)" class="tree" :style="{ marginLeft: `${66 + line.depth * 18}px` }">
    <p v-if="scope.isSample(line.name)" class="dim">A sample: the chosen run has no values of this step.</p>
    <ValueTree
      :value="scope.valueOf(line.name)"
      :name="line.name"
      :path="['steps', line.name]"
      :root="outline.values.value"
      :uses="outline.uses"
      @pick="outline.pick"
    />
  </div>
  <BreakpointBox v-if="breaking === line.id" :line="line" @close="breaking = undefined" />
  <AddBox v-if="adding?.at === line.id" :place="adding.place" @close="adding = undefined" />
</template>

<style scoped>
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
