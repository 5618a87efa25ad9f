<script setup lang="ts">
import { operationsRoutes } from "@copper-kettle/contract";
import { isObject, parseJson, printJson, sameJson, type JsonObject } from "@copper-kettle/core";
import { mdiClose, mdiPlus } from "@mdi/js";
import { computed, onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import {
  newParameter,
  parameterEdits,
  places,
  textAt,
  types,
  withParameters,
  withText,
  type ParameterEdit,
} from "../../logic/operation-edit.js";
import ConfirmRemove from "../shared/ConfirmRemove.vue";
import OperationGrid from "./OperationGrid.vue";
import OperationExtras from "./OperationExtras.vue";

/** Get an operation as it is in the document: as fields, and as the text itself. */
const props = defineProps<{ apiName: string; id: string; usedBy: string[] }>();
const emit = defineEmits<{ saved: [id: string]; removed: [] }>();

const text = ref("");
const method = ref("");
const path = ref("");
const revision = ref(0);
const before = ref<{ method: string; path: string; operation: JsonObject }>();
const fault = ref("");
const faults = ref<Record<string, string>>({});
const busy = ref(false);
const asText = ref(false);
const openRow = ref<number>();
const consequences = computed(() => [
  "It goes from the document, in a new revision.",
  props.usedBy.length > 0
    ? `Its calls in ${props.usedBy.join(", ")} fail until there is an operation with this id again.`
    : "No workflow calls it.",
]);

const read = computed<{ operation: JsonObject } | { fault: string }>(() => {
  try {
    const value = parseJson(text.value);
    return isObject(value) ? { operation: value } : { fault: "An operation is an object." };
  } catch (error) {
    return { fault: (error as Error).message };
  }
});
const operation = computed(() => ("operation" in read.value ? read.value.operation : {}));
const edits = computed(() => parameterEdits(operation.value));
const changed = computed(
  () =>
    before.value !== undefined &&
    (method.value !== before.value.method ||
      path.value !== before.value.path ||
      !sameJson(operation.value, before.value.operation)),
);

onMounted(async () => {
  try {
    const source = await api.call(operationsRoutes.operationSource, {
      params: { name: props.apiName, id: props.id },
    });
    before.value = source;
    text.value = printJson(source.operation, 2);
    method.value = source.method;
    path.value = source.path;
    revision.value = source.revision;
  } catch (error) {
    fault.value = sentence(error);
  }
});

const put = (next: JsonObject): void => void (text.value = printJson(next, 2));
const setText = (key: string, value: string | null): void => put(withText(operation.value, key, value));
const docs = computed(() => {
  const found = operation.value["externalDocs"];
  return isObject(found) && typeof found["url"] === "string" ? found["url"] : "";
});
function setDocs(url: string): void {
  const { externalDocs: _old, ...rest } = operation.value;
  put(url ? { ...operation.value, externalDocs: { url } } : rest);
}
function setParameter(index: number, change: Partial<ParameterEdit>): void {
  put(
    withParameters(
      operation.value,
      edits.value.map((edit, at) => (at === index ? { ...edit, ...change } : edit)),
    ),
  );
}
function addParameter(): void {
  put(withParameters(operation.value, [...edits.value, newParameter()]));
  openRow.value = edits.value.length - 1;
}
const removeParameter = (index: number): void =>
  put(
    withParameters(
      operation.value,
      edits.value.filter((_edit, at) => at !== index),
    ),
  );

forgetMended(faults, () => ({ method: method.value, path: path.value, operation: operation.value }), fault);
async function save(): Promise<void> {
  busy.value = true;
  fault.value = "";
  faults.value = {};
  try {
    const { operation: saved } = await api.call(operationsRoutes.putOperation, {
      params: { name: props.apiName, id: props.id },
      body: { method: method.value, path: path.value, operation: operation.value, base: revision.value },
    });
    emit("saved", saved.id);
  } catch (error) {
    faults.value = fieldMessages(error);
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
async function remove(): Promise<void> {
  try {
    await api.call(operationsRoutes.removeOperation, {
      params: { name: props.apiName, id: props.id },
      // Who confirmed it has read who calls it.
      query: { anyway: "true" },
    });
    emit("removed");
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <v-progress-linear v-if="!before && !fault" indeterminate />
  <form v-if="before" class="edit" novalidate @submit.prevent="save">
    <div class="line">
      <v-text-field v-model="method" label="Method" class="method" :error-messages="faults['method']" />
      <v-text-field v-model="path" label="Path" class="mono" :error-messages="faults['path']" />
      <v-btn-toggle v-model="asText" mandatory density="compact" variant="outlined">
        <v-btn :value="false" size="small" :disabled="'fault' in read">Fields</v-btn>
        <v-btn :value="true" size="small">JSON</v-btn>
      </v-btn-toggle>
    </div>
    <v-textarea
      v-if="asText"
      v-model="text"
      class="mono"
      rows="14"
      auto-grow
      label="OpenAPI operation"
      spellcheck="false"
      :error-messages="'fault' in read ? read.fault : undefined"
    />
    <template v-else>
      <div class="pair">
        <v-text-field
          :model-value="textAt(operation, 'operationId')"
          label="Id"
          class="mono"
          hint="Drafts that call it get the new id; published versions still find it by the old one."
          :error-messages="faults['operationId']"
          @update:model-value="setText('operationId', $event)"
        />
        <v-text-field
          :model-value="textAt(operation, 'summary')"
          label="Title"
          @update:model-value="setText('summary', $event)"
        />
      </div>
      <v-textarea
        :model-value="textAt(operation, 'description')"
        label="Notes"
        rows="2"
        auto-grow
        @update:model-value="setText('description', $event)"
      />
      <div class="pair">
        <v-select
          :model-value="textAt(operation, 'x-ckettle-effect') || null"
          :items="['reads', 'writes', 'repeatable']"
          label="Effect"
          clearable
          placeholder="as the method says"
          persistent-placeholder
          @update:model-value="setText('x-ckettle-effect', $event)"
        />
        <v-text-field
          :model-value="textAt(operation, 'x-ckettle-success')"
          label="Success (expression, besides the status)"
          class="mono"
          placeholder="body.error == null"
          @update:model-value="setText('x-ckettle-success', $event)"
        />
      </div>
      <v-text-field
        :model-value="docs"
        label="Documentation"
        placeholder="https://"
        @update:model-value="setDocs"
      />
      <OperationExtras :operation="operation" @update:operation="put" />
      <h3>Parameters and fields of the body</h3>
      <OperationGrid :operation="operation" @update:operation="put" />
      <h3>Parameters</h3>
      <div v-for="(edit, index) in edits" :key="index" class="parameter">
        <div class="line">
          <button
            type="button"
            class="mono name"
            :aria-expanded="openRow === index"
            @click="openRow = openRow === index ? undefined : index"
          >
            {{ openRow === index ? "▾" : "▸" }} {{ edit.name || "new" }}
          </button>
          <span class="dim"
            >{{ edit.in }} {{ edit.type }} {{ edit.required ? "required" : "" }}
            {{ edit.fixed ? `fixed: ${edit.fixed}` : "" }}</span
          >
          <v-spacer />
          <button type="button" :aria-label="`Remove ${edit.name}`" @click="removeParameter(index)">
            <v-icon :icon="mdiClose" size="16" />
          </button>
        </div>
        <p v-if="openRow === index && edit.shared" class="dim">
          Several operations share this parameter. Change it in the document itself.
        </p>
        <div v-else-if="openRow === index" class="fields">
          <v-text-field
            :model-value="edit.name"
            label="Name"
            class="mono"
            @update:model-value="setParameter(index, { name: $event })"
          />
          <v-select
            :model-value="edit.in"
            :items="places"
            label="Place"
            @update:model-value="setParameter(index, { in: $event })"
          />
          <v-select
            :model-value="edit.type"
            :items="types"
            label="Type"
            @update:model-value="setParameter(index, { type: $event })"
          />
          <v-text-field
            :model-value="edit.title"
            label="Title"
            @update:model-value="setParameter(index, { title: $event })"
          />
          <v-text-field
            :model-value="edit.about"
            label="Help"
            class="across"
            @update:model-value="setParameter(index, { about: $event })"
          />
          <v-text-field
            :model-value="edit.preset"
            label="Default"
            @update:model-value="setParameter(index, { preset: $event })"
          />
          <v-text-field
            :model-value="edit.fixed"
            label="Fixed to"
            hint="Always sent with this value. Nobody can set it."
            @update:model-value="setParameter(index, { fixed: $event })"
          />
          <v-checkbox
            :model-value="edit.required"
            label="Required"
            density="compact"
            hide-details
            :disabled="edit.in === 'path'"
            @update:model-value="setParameter(index, { required: $event === true })"
          />
          <v-textarea
            :model-value="edit.choices"
            label="Choices, one a line"
            rows="1"
            auto-grow
            class="across"
            @update:model-value="setParameter(index, { choices: $event })"
          />
        </div>
      </div>
      <div><v-btn size="small" :prepend-icon="mdiPlus" @click="addParameter">Add a parameter</v-btn></div>
    </template>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div class="d-flex ga-2">
      <v-btn
        type="submit"
        color="primary"
        variant="flat"
        :disabled="!changed || 'fault' in read"
        :loading="busy"
        >Save as new revision</v-btn
      >
      <v-spacer />
      <ConfirmRemove title="Remove the operation" :consequences="consequences" @confirmed="remove" />
    </div>
  </form>
  <v-alert v-else-if="fault" type="error">{{ fault }}</v-alert>
</template>

<style scoped>
.edit {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
}
.line {
  display: flex;
  gap: 10px;
  align-items: center;
}
.method {
  max-width: 110px;
}
.parameter {
  border-left: 2px solid rgb(var(--v-theme-surface-variant));
  padding-left: 10px;
}
.name {
  font-weight: 500;
}
.fields {
  display: grid;
  grid-template-columns: 1fr 1fr 1fr;
  gap: 10px;
  padding: 8px 0;
}
.across {
  grid-column: span 2;
}
</style>
