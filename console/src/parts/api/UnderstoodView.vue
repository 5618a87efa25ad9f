<script setup lang="ts">
import type { Understood } from "@copper-kettle/contract";
import { computed } from "vue";
import MethodMark from "../shared/MethodMark.vue";

/** What was understood of a pasted request; parts of its path are made parameters by a click. */
const props = defineProps<{ pasted: Understood }>();
/** Names of placeholders, by the place of their part in the path. */
const placeholders = defineModel<Record<string, string>>("placeholders", { required: true });
const parts = computed(() => props.pasted.path.split("/").slice(1));

function turn(index: number): void {
  const { [String(index)]: before, ...rest } = placeholders.value;
  if (before !== undefined) return void (placeholders.value = rest);
  const offered = props.pasted.variable.find((one) => one.index === index)?.name;
  placeholders.value = { ...rest, [String(index)]: offered ?? `part${index + 1}` };
}
/** What was said besides the key, which has a place of its own. */
const notes = computed(() => props.pasted.notes.filter((note) => !note.startsWith("A key was found")));
const partText = (part: string, index: number): string =>
  placeholders.value[index] === undefined ? part : `{${placeholders.value[index]}}`;
const rename = (index: number, name: string): void =>
  void (placeholders.value = { ...placeholders.value, [String(index)]: name });
const text = (value: unknown): string => (Array.isArray(value) ? value.join(", ") : String(value));
</script>

<template>
  <div class="understood">
    <div class="line">
      <span class="dim">Read as</span> {{ pasted.form }}, which
      {{ pasted.effect === "reads" ? "reads" : pasted.effect === "writes" ? "writes" : "repeat it for more" }}
    </div>
    <div class="line mono">
      <MethodMark :method="pasted.method" /> <span class="dim">{{ pasted.server }}</span>
      <span class="path">
        <template v-for="(part, index) in parts" :key="index"
          >/<button
            v-if="part"
            type="button"
            class="part"
            :class="{ chosen: placeholders[index] !== undefined }"
            :aria-pressed="placeholders[index] !== undefined"
            :title="placeholders[index] === undefined ? 'Make it a parameter' : `was ${part}`"
            @click="turn(index)"
          >
            {{ partText(part, index) }}
          </button></template
        >
      </span>
    </div>
    <div v-for="(name, index) in placeholders" :key="index" class="line">
      <span class="mono dim">{{ parts[Number(index)] }}</span> is the parameter
      <input
        class="mono"
        :value="name"
        :aria-label="`Name of part ${index}`"
        @input="rename(Number(index), ($event.target as HTMLInputElement).value)"
      />
    </div>
    <table v-if="Object.keys(pasted.query).length + Object.keys(pasted.headers).length > 0" class="lines">
      <tbody>
        <tr v-for="(value, name) in pasted.query" :key="`q${name}`">
          <td class="dim">query</td>
          <td class="mono">{{ name }}</td>
          <td class="mono">{{ text(value) }}</td>
        </tr>
        <tr v-for="(value, name) in pasted.headers" :key="`h${name}`">
          <td class="dim">header</td>
          <td class="mono">{{ name }}</td>
          <td class="mono">{{ text(value) }}</td>
        </tr>
      </tbody>
    </table>
    <div v-if="pasted.body">
      <span class="dim">Body</span> {{ pasted.body.kind }}
      <pre class="mono body">{{ pasted.body.text ?? JSON.stringify(pasted.body.fields) }}</pre>
    </div>
    <v-alert v-if="pasted.secret" type="warning"
      >A key was found: <span class="mono">{{ pasted.secret.shown }}</span>. The key never goes into the
      document.</v-alert
    >
    <ul v-if="notes.length > 0" class="dim notes">
      <li v-for="note in notes" :key="note">{{ note }}</li>
    </ul>
  </div>
</template>

<style scoped>
.understood {
  display: grid;
  gap: 8px;
}
.line {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.part {
  padding: 0 3px;
  border-bottom: 1px dotted currentColor;
}
.part.chosen {
  border: 1px solid rgb(var(--v-theme-primary));
  border-radius: 3px;
  color: rgb(var(--v-theme-primary));
}
.body {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 180px;
  overflow: auto;
}
input {
  border: 0;
  border-bottom: 1px solid currentColor;
  color: inherit;
  background: transparent;
  width: 160px;
}
.notes {
  padding-left: 18px;
}
</style>
