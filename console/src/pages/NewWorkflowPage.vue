<script setup lang="ts">
import { workflowsRoutes } from "@copper-kettle/contract";
import {
  inputNames,
  inputsFor,
  newTrigger,
  newWorkflow,
  readPasted,
  retied,
  setField,
  stepOfOperation,
  stepOfRequest,
  tiesOf,
  understandPasted,
  type JsonObject,
  type Tie,
  type TriggerKind,
} from "@copper-kettle/core";
import {
  mdiClockOutline,
  mdiContentCopy,
  mdiContentPaste,
  mdiCursorPointer,
  mdiMagnify,
  mdiSendOutline,
  mdiWebhook,
} from "@mdi/js";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../api.js";
import { describedOperation } from "../editor/offers.js";
import { useCatalogue } from "../logic/known.js";
import { faultOfName, proposedName } from "../logic/names.js";
import TiesTable from "../parts/workflow/TiesTable.vue";
import PageHead from "../parts/shared/PageHead.vue";

/** A new workflow: one thing is asked, how it begins. */
const router = useRouter();
const catalogue = useCatalogue();
type Way = TriggerKind | "operation" | "paste" | "example";
const way = ref<Way>("by-hand");
const ways: { value: Way; title: string; about: string; icon: string }[] = [
  {
    value: "by-hand",
    title: "By hand",
    about: "a form, or a call of the service's API",
    icon: mdiCursorPointer,
  },
  { value: "schedule", title: "At a time", about: "every hour, each Monday at five", icon: mdiClockOutline },
  { value: "webhook", title: "By a webhook", about: "another program tells of an event", icon: mdiWebhook },
  {
    value: "poll",
    title: "When something is new",
    about: "an API is asked again and again",
    icon: mdiMagnify,
  },
  {
    value: "operation",
    title: "With an operation",
    about: "of an API that is described",
    icon: mdiSendOutline,
  },
  {
    value: "paste",
    title: "With a paste",
    about: "a curl command, a request, an address",
    icon: mdiContentPaste,
  },
  { value: "example", title: "From a workflow", about: "a copy of one that is here", icon: mdiContentCopy },
];
const title = ref("");
const name = ref("");
const isNamed = ref(false);
const pasted = ref("");
const operation = ref<string | null>(null);
const example = ref<string | null>(null);
const every = ref("1h");
const fault = ref("");
const busy = ref(false);
watch([title, operation, example], () => {
  if (isNamed.value) return;
  const words =
    title.value || operation.value?.split(".")[1] || (example.value ? `${example.value}-copy` : "");
  name.value = words === "" ? "" : proposedName(words);
});
const operations = computed(() =>
  catalogue.value.apis.flatMap((one) =>
    one.operations.map(({ id, title: about }) => ({
      value: `${one.name}.${id}`,
      title: `${one.name}.${id} – ${about}`,
    })),
  ),
);
/** The workflow that is copied, and what it is tied to. */
const exampleText = ref("");
const instead = ref<Record<string, string>>({});
const ties = ref<Tie[]>([]);
watch(example, async (copied) => {
  fault.value = "";
  [exampleText.value, ties.value, instead.value] = ["", [], {}];
  if (copied === null) return;
  try {
    const { text } = await api.call(workflowsRoutes.workflow, { params: { name: copied } });
    if (example.value !== copied) return;
    ties.value = tiesOf(text);
    exampleText.value = text;
    // No two workflows have one address.
    for (const { kind, name: path } of ties.value)
      if (kind === "webhook") instead.value[`webhook ${path}`] = `${path}-copy`;
  } catch (error) {
    fault.value = sentence(error);
  }
});
const nameFault = computed(
  () =>
    faultOfName(name.value) ??
    (catalogue.value.workflows.some((one) => one.name === name.value)
      ? "There is a workflow of this name."
      : undefined),
);

async function textOf(): Promise<string> {
  const kind: TriggerKind = ["operation", "paste", "example"].includes(way.value)
    ? "by-hand"
    : (way.value as TriggerKind);
  const about = newTrigger(kind, name.value);
  if (kind === "schedule") about["every"] = every.value;
  const names: Record<TriggerKind, string> = {
    "by-hand": "office",
    schedule: "clock",
    webhook: "delivery",
    poll: "look",
  };
  const begin = (inputs: JsonObject | undefined, steps: JsonObject[]): string =>
    newWorkflow({
      name: name.value,
      ...(title.value ? { title: title.value } : {}),
      trigger: { name: names[kind], kind, about },
      ...(inputs ? { inputs } : {}),
      steps,
    });
  if (way.value === "example") {
    const copied = ties.value.reduce((text, tie) => {
      const to = instead.value[`${tie.kind} ${tie.name}`]?.trim();
      return to === undefined || to === "" || to === tie.name ? text : retied(text, tie, to);
    }, exampleText.value);
    const renamed = setField(copied, ["name"], name.value);
    return title.value === "" ? renamed : setField(renamed, ["title"], title.value);
  }
  if (operation.value !== null && (way.value === "operation" || way.value === "poll")) {
    const [apiName = ""] = operation.value.split(".");
    const found = await describedOperation(operation.value);
    if (!found) throw new Error(`There is no operation ${operation.value}.`);
    if (way.value === "poll") {
      Object.assign(about, { operation: operation.value });
      return begin(undefined, [{ step: "told", note: "${trigger.item}" }]);
    }
    const inputs = inputsFor(found.operation);
    return begin(inputs, [stepOfOperation(apiName, found.operation, inputs ? inputNames({ inputs }) : [])]);
  }
  if (way.value === "paste") {
    const { step } = stepOfRequest(understandPasted(readPasted(pasted.value)), {
      constants: catalogue.value.constants as JsonObject,
      credentials: catalogue.value.credentials,
      apis: catalogue.value.apis,
    });
    return begin(undefined, [step]);
  }
  return begin(undefined, []);
}
const isReady = computed(
  () =>
    name.value !== "" &&
    nameFault.value === undefined &&
    (way.value !== "operation" || operation.value !== null) &&
    (way.value !== "poll" || operation.value !== null) &&
    (way.value !== "paste" || pasted.value.trim() !== "") &&
    (way.value !== "example" || exampleText.value !== ""),
);
async function make(): Promise<void> {
  fault.value = "";
  busy.value = true;
  try {
    const text = await textOf();
    await api.call(workflowsRoutes.pushWorkflow, { params: { name: name.value }, body: { text, base: 0 } });
    await router.push(`/workflows/${name.value}`);
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="page">
    <PageHead title="New workflow" help="editor#begin" :up="[{ title: 'Workflows', to: '/workflows' }]" />
    <form class="new" novalidate @submit.prevent="make">
      <h2 id="how">How does it begin?</h2>
      <v-radio-group v-model="way" class="ways" aria-labelledby="how" hide-details>
        <v-radio
          v-for="one in ways"
          :key="one.value"
          :value="one.value"
          class="way card"
          :class="{ chosen: way === one.value }"
          density="compact"
        >
          <template #label>
            <v-icon :icon="one.icon" size="18" class="dim" />
            <span
              ><b>{{ one.title }}</b
              ><br /><span class="dim">{{ one.about }}</span></span
            >
          </template>
        </v-radio>
      </v-radio-group>
      <div class="card fields">
        <v-text-field
          v-if="way === 'schedule'"
          v-model="every"
          label="Every"
          hint="20s, 10m, 1h30m; a calendar is set on its page"
        />
        <v-autocomplete
          v-if="way === 'operation' || way === 'poll'"
          v-model="operation"
          :items="operations"
          :label="way === 'poll' ? 'Which operation is asked' : 'Operation'"
          no-data-text="No API is described yet."
        />
        <v-textarea
          v-if="way === 'paste'"
          v-model="pasted"
          class="mono"
          rows="4"
          auto-grow
          label="Paste a curl command, a raw request, or an address"
          spellcheck="false"
        />
        <v-autocomplete
          v-if="way === 'example'"
          v-model="example"
          :items="
            catalogue.workflows.map((one) => ({
              value: one.name,
              title: `${one.title ?? one.name} (${one.name})`,
            }))
          "
          label="Workflow to copy"
        />
        <TiesTable
          v-if="way === 'example' && ties.length > 0"
          v-model="instead"
          :ties="ties"
          :catalogue="catalogue"
        />
        <v-text-field v-model="title" label="Title" placeholder="Greet a guest" autocomplete="off" />
        <v-text-field
          v-model="name"
          label="Name"
          hint="a-z, 0-9 and dashes; it stands in addresses and files"
          :error-messages="nameFault ? [nameFault] : []"
          autocomplete="off"
          @update:model-value="isNamed = true"
        />
        <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
        <div>
          <v-btn type="submit" color="primary" variant="flat" :disabled="!isReady" :loading="busy"
            >Make the workflow</v-btn
          >
        </div>
      </div>
    </form>
  </div>
</template>

<style scoped>
.new {
  display: grid;
  gap: 12px;
  max-width: 860px;
}
.ways :deep(.v-selection-control-group) {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(240px, 1fr));
  gap: 8px;
}
.way {
  padding: 6px 10px 6px 6px;
}
.way :deep(.v-label) {
  gap: 8px;
  flex: 1;
  opacity: 1;
}
.way.chosen {
  border-color: var(--copper);
  background: var(--soft);
}
.fields {
  display: grid;
  gap: 12px;
  padding: 14px;
  overflow: visible;
}
</style>
