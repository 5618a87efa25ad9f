<script setup lang="ts">
import {
  kindWords,
  newStep,
  printPath,
  readPasted,
  stepOfOperation,
  stepOfLine,
  stepOfRequest,
  understandPasted,
  inputNames,
  isObject,
  type JsonObject,
  type StepPlace,
} from "@copper-kettle/core";
import { computed, nextTick, onMounted, ref } from "vue";
import { addedLately, latelyFirst, noteAdded } from "../../editor/lately.js";
import { describedOperation } from "../../editor/offers.js";
import { useSession } from "../../editor/session.js";
import { stepIcons } from "../../logic/step-icons.js";

/** Adds a step: one searches kinds, operations and workflows at once, or pastes a request or steps. */
const props = defineProps<{ place: StepPlace }>();
const emit = defineEmits<{ close: [] }>();
const { document, catalogue, choose } = useSession();
const text = ref("");
const at = ref(0);
const field = ref<HTMLTextAreaElement>();
const fault = ref("");
const notes = ref<string[]>([]);
onMounted(() => nextTick(() => field.value?.focus()));

interface Offer {
  icon: string;
  name: string;
  about: string;
  also: string;
  make: () => Promise<void>;
}
const inputs = computed(() => {
  const file = document.valueAt([]);
  return isObject(file ?? null) ? inputNames(file as JsonObject) : [];
});
const lately = addedLately();
/** The API that the step before calls. */
const apiBefore = computed(() => {
  const { list, index } = props.place;
  const before = document.valueAt([...list, index - 1]);
  const called = isObject(before ?? null) ? (before as JsonObject)["operation"] : undefined;
  return typeof called === "string" ? (called.split(".")[0] ?? "") : "";
});
async function add(step: JsonObject): Promise<void> {
  const path = await document.act({ do: "add", place: props.place, step });
  if (!path) return void (fault.value = document.fault.value);
  emit("close");
  choose(printPath(path));
}
const offers = computed<Offer[]>(() => [
  ...kindWords.map(({ kind, about, also }) => ({
    icon: stepIcons[kind] ?? "",
    name: kind,
    about,
    also,
    make: () => add(newStep(kind)),
  })),
  ...catalogue.value.apis.flatMap((api) =>
    api.operations.map(({ id, method, path, title }) => ({
      icon: stepIcons["operation"] ?? "",
      name: `${api.name}.${id}`,
      about: `${title} · ${method} ${path}`,
      also: api.title,
      make: async () => {
        const found = await describedOperation(`${api.name}.${id}`);
        await add(
          found
            ? stepOfOperation(api.name, found.operation, inputs.value)
            : { step: id, operation: `${api.name}.${id}` },
        );
      },
    })),
  ),
  ...catalogue.value.workflows
    .filter(({ name }) => name !== document.name)
    .map(({ name, title }) => ({
      icon: stepIcons["workflow"] ?? "",
      name,
      about: `runs the workflow ${title ?? name}`,
      also: "workflow",
      make: () => add({ step: "called", workflow: { name } }),
    })),
]);
const isPasted = computed(
  () => text.value.includes("\n") || /^(curl\s|[A-Z]+ \S|https?:\/\/|- |step:)/.test(text.value.trim()),
);
const found = computed(() => {
  const words = text.value.trim().toLowerCase().split(/\s+/).filter(Boolean);
  if (isPasted.value) return [];
  const fits = offers.value.filter(({ name, about, also }) => {
    const said = `${name} ${about} ${also}`.toLowerCase();
    return words.every((word) => said.includes(word));
  });
  const [first = ""] = words;
  const rank = ({ name }: Offer): number =>
    name.toLowerCase() === first
      ? 0
      : name.toLowerCase().startsWith(first)
        ? 1
        : name.toLowerCase().includes(first)
          ? 2
          : 3;
  const sorted = latelyFirst(fits, lately, apiBefore.value);
  return (words.length === 0 ? sorted : sorted.sort((a, b) => rank(a) - rank(b))).slice(0, 15);
});

const known = computed(() => ({
  constants: catalogue.value.constants as JsonObject,
  credentials: catalogue.value.credentials,
  apis: catalogue.value.apis,
}));
/** A pasted request becomes a call; pasted steps go in as they are written. */
async function paste(): Promise<void> {
  const pasted = text.value;
  fault.value = "";
  if (/^\s*(- |step\s*:|steps\s*:|copper-kettle\s*:|\{\s*"?step)/m.test(pasted)) {
    const path = await document.act({ do: "paste", place: props.place, text: pasted });
    if (!path) return void (fault.value = document.fault.value);
    emit("close");
    return choose(printPath(path));
  }
  const line = pasted.trim();
  if (/^[A-Z]+ \S+$/.test(line) && line.includes("${")) return add(stepOfLine(line, known.value).step);
  try {
    const understood = understandPasted(readPasted(pasted));
    const { step, notes: said } = stepOfRequest(understood, known.value);
    notes.value = [...understood.notes, ...said];
    await add(step);
    document.notes.value = notes.value;
  } catch (error) {
    fault.value = (error as Error).message;
  }
}
function onEnter(event: KeyboardEvent): void {
  if (event.shiftKey) return;
  event.preventDefault();
  if (isPasted.value) void paste();
  else make(found.value[at.value]);
}
function make(offer: Offer | undefined): void {
  if (!offer) return;
  noteAdded(offer.name);
  void offer.make();
}
function move(by: number): void {
  at.value = (at.value + by + found.value.length) % Math.max(1, found.value.length);
}
</script>

<template>
  <div class="add" role="dialog" aria-label="Add a step">
    <textarea
      ref="field"
      v-model="text"
      :rows="isPasted ? Math.min(8, text.split('\n').length + 1) : 1"
      class="field"
      aria-label="Search a kind, an operation, a workflow; or paste a request or steps"
      placeholder="A kind, an operation, or a pasted request"
      spellcheck="false"
      @input="at = 0"
      @keydown.down.prevent="!isPasted && move(1)"
      @keydown.up.prevent="!isPasted && move(-1)"
      @keydown.enter="onEnter"
      @keydown.esc.stop.prevent="emit('close')"
    />
    <p v-if="fault" class="text-error said" role="alert">{{ fault }}</p>
    <div v-if="isPasted" class="said">
      <v-btn color="primary" variant="flat" @click="paste">Add what is pasted</v-btn>
    </div>
    <p v-else-if="found.length === 0" class="dim said">
      Nothing has these words. Operations come from the APIs that are described.
    </p>
    <ul role="listbox" aria-label="What can be added">
      <li
        v-for="(offer, index) in found"
        :key="offer.name + index"
        role="option"
        :aria-selected="index === at"
        :class="{ chosen: index === at }"
        @mouseenter="at = index"
        @mousedown.prevent="make(offer)"
      >
        <v-icon :icon="offer.icon" size="16" class="dim" />
        <b>{{ offer.name }}</b>
        <span class="dim cut">{{ offer.about }}</span>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.add {
  margin: 4px 12px 6px 44px;
  border: 1px solid var(--copper);
  border-radius: 6px;
  background: rgb(var(--v-theme-surface));
  overflow: hidden;
}
.field {
  display: block;
  width: 100%;
  padding: 6px 10px;
  border: 0;
  border-bottom: 1px solid var(--line);
  background: none;
  color: inherit;
  font: inherit;
  resize: none;
}
.field:focus {
  outline: none;
}
.field::placeholder {
  color: var(--dim);
}
ul {
  list-style: none;
  max-height: 320px;
  overflow: auto;
}
li {
  display: flex;
  gap: 8px;
  align-items: center;
  padding: 4px 10px;
  cursor: pointer;
  white-space: nowrap;
}
li.chosen {
  background: var(--soft);
}
.said {
  padding: 6px 10px;
}
</style>
