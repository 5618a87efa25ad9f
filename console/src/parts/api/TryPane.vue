<script setup lang="ts">
import {
  credentialsRoutes,
  triesRoutes,
  type BodyOf,
  type OperationDetail,
  type TryEntry,
  type TryResult,
} from "@copper-kettle/contract";
import {
  idsFromAddress,
  isObject,
  parseJson,
  patternsOf,
  printJson,
  type JsonObject,
} from "@copper-kettle/core";
import { computed, onMounted, reactive, ref, watch } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import { skeleton } from "../../logic/body-value.js";
import { when } from "../../logic/format.js";
import { bodyKindOf, givenParameters, ruleFaults, typedParameters } from "../../logic/parameter-form.js";
import BodyInput from "./BodyInput.vue";
import FileChooser from "../shared/FileChooser.vue";
import SaveSample from "./SaveSample.vue";
import TryParameter from "./TryParameter.vue";
import TryResultView from "./TryResultView.vue";

type Given = BodyOf<typeof triesRoutes.tryOperation>;

/** Sends an operation for real: what was given last stands in the fields again. */
const props = defineProps<{ apiName: string; operation: OperationDetail; credential: string | null }>();
const emit = defineEmits<{ saved: [] }>();

const typed = reactive<Record<string, unknown>>({});
const bodyText = ref("");
const file = ref<{ base64: string; name: string; mediaType: string }>();
const mediaType = ref(props.operation.body?.content[0]?.type ?? "");
const using = ref<string | null>(null);
const credentials = ref<string[]>([]);
const faults = ref<Record<string, string>>({});
/** What the rules of the operation say of what is typed, and what was wrong when it was sent. */
const shown = computed(() => ({
  ...ruleFaults(props.operation, typed, bodyText.value, Date.now()),
  ...faults.value,
}));
const fault = ref("");
const busy = ref(false);
const asking = ref(false);
const result = ref<TryResult>();
const tries = ref<TryEntry[]>([]);
const full = computed(() => `${props.apiName}.${props.operation.id}`);
const content = computed(() => props.operation.body?.content.find((one) => one.type === mediaType.value));
const bodyKind = computed(() => (content.value ? bodyKindOf(content.value.type) : undefined));
const open = computed(() => props.operation.parameters.filter((one) => one.fixed === undefined));
const writes = computed(() => props.operation.effect !== "reads");

function startBody(): void {
  const kind = bodyKind.value;
  if (kind === undefined || kind === "file") return void (bodyText.value = "");
  const start =
    content.value?.example ??
    (kind === "text" || kind === "xml" ? "" : skeleton(content.value?.schema ?? { type: "object" }));
  bodyText.value =
    typeof start === "string" && (kind === "text" || kind === "xml") ? start : printJson(start ?? {}, 2);
}
function take(given: JsonObject): void {
  Object.assign(typed, typedParameters(props.operation.parameters, given["parameters"]));
  if (typeof given["using"] === "string") using.value = given["using"];
  const body = given["body"];
  const [kind, value] = isObject(body) ? (Object.entries(body)[0] ?? []) : [];
  if (kind === undefined || value === undefined || kind === "file") return;
  const type = props.operation.body?.content.find((one) => bodyKindOf(one.type) === kind)?.type;
  if (type) mediaType.value = type;
  bodyText.value =
    typeof value === "string" && (kind === "text" || kind === "xml") ? value : printJson(value, 2);
}
async function loadTries(): Promise<void> {
  tries.value = (
    await api.call(triesRoutes.listTries, { query: { operation: full.value, limit: 10 } })
  ).tries;
}
forgetMended(
  faults,
  () => ({
    ...Object.fromEntries(Object.entries(typed).map(([name, value]) => [`parameters.${name}`, value])),
    body: bodyText.value,
    using: using.value,
  }),
  fault,
);
watch(mediaType, startBody);
/** Choices that other operations give, once somebody asks for them. */
const choices = reactive<Record<string, { title: string; value: unknown }[]>>({});
async function loadChoices(parameter: string): Promise<void> {
  if (choices[parameter]) return;
  choices[parameter] = [];
  try {
    const found = await api.call(triesRoutes.choices, {
      params: { name: props.apiName, id: props.operation.id },
      query: { of: parameter },
    });
    choices[parameter] = found.choices.map(({ value, label }) => ({
      title: label,
      value: typeof value === "string" ? value : printJson(value),
    }));
  } catch (error) {
    delete choices[parameter];
    faults.value = { ...faults.value, [`parameters.${parameter}`]: sentence(error) };
  }
}
// An address of a page that is pasted into a parameter fills all that it says.
watch(typed, () => {
  for (const [name, value] of Object.entries(typed)) {
    if (typeof value !== "string" || !/^https?:\/\//.test(value)) continue;
    const ids = idsFromAddress(patternsOf(props.operation, name), value.trim());
    if (ids) Object.assign(typed, ids);
  }
});
onMounted(async () => {
  startBody();
  for (const { name, example } of open.value)
    if (example !== undefined && !isObject(example)) typed[name] ??= [example].flat().join("\n");
  try {
    const [list] = await Promise.all([api.call(credentialsRoutes.listCredentials), loadTries()]);
    credentials.value = list.credentials.map(({ name }) => name);
    if (tries.value[0]) take(tries.value[0].given);
  } catch (error) {
    fault.value = sentence(error);
  }
});

function bodyOf(): Given["body"] | undefined {
  const kind = bodyKind.value;
  if (kind === undefined) return undefined;
  if (kind === "file") return file.value ? { file: file.value } : undefined;
  if (kind === "text" || kind === "xml") return { [kind]: bodyText.value };
  if (bodyText.value.trim() === "") return undefined;
  return { [kind]: parseJson(bodyText.value) };
}
async function send(): Promise<void> {
  fault.value = "";
  const read = givenParameters(props.operation.parameters, typed);
  faults.value = Object.fromEntries(
    Object.entries(read.faults).map(([name, text]) => [`parameters.${name}`, text]),
  );
  let body: Given["body"] | undefined;
  try {
    body = bodyOf();
  } catch (error) {
    faults.value["body"] = `This is not JSON: ${(error as Error).message}`;
  }
  if (Object.keys(faults.value).length > 0) return;
  if (writes.value && !asking.value) return void (asking.value = true);
  asking.value = false;
  busy.value = true;
  try {
    result.value = await api.call(triesRoutes.tryOperation, {
      body: {
        operation: full.value,
        parameters: read.given,
        ...(body === undefined ? {} : { body }),
        ...(using.value === null ? {} : { using: using.value }),
      },
    });
    await loadTries();
  } catch (error) {
    faults.value = fieldMessages(error);
    const shown = Object.keys(faults.value).some((name) => name.startsWith("parameters.") || name === "body");
    if (!shown) fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
/** What was given for a call, in one line. */
function sentIn({ given }: TryEntry): string {
  const [body] = isObject(given["body"]) ? Object.values(given["body"]) : [];
  const parts = Object.entries(isObject(given["parameters"]) ? given["parameters"] : {}).map(
    ([name, value]) => `${name}=${typeof value === "string" ? value : printJson(value ?? null)}`,
  );
  if (body !== undefined) parts.push(typeof body === "string" ? body : printJson(body));
  return parts.join(" ") || "without parameters";
}
async function readFile(chosen: File): Promise<void> {
  const bytes = new Uint8Array(await chosen.arrayBuffer());
  let text = "";
  for (const byte of bytes) text += String.fromCharCode(byte);
  const part = { base64: btoa(text), name: chosen.name, mediaType: chosen.type || mediaType.value };
  if (bodyKind.value === "file") file.value = part;
  else
    bodyText.value = printJson(
      { ...(parseJson(bodyText.value || "{}") as JsonObject), [chosen.name]: part },
      2,
    );
}
async function look(entry: TryEntry): Promise<void> {
  try {
    const found = await api.call(triesRoutes.try, { params: { id: entry.id } });
    take(found.given);
    result.value = found.result;
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <form class="try" novalidate @submit.prevent="send">
    <TryParameter
      v-for="parameter in open"
      :key="parameter.name"
      v-model="typed[parameter.name]"
      :parameter="parameter"
      :choices="choices[parameter.name]"
      :fault="shown[`parameters.${parameter.name}`]"
      @choose="loadChoices(parameter.name)"
    />
    <template v-if="operation.body">
      <v-select
        v-if="operation.body.content.length > 1"
        v-model="mediaType"
        :items="operation.body.content.map((one) => one.type)"
        label="Kind of body"
      />
      <v-textarea
        v-if="bodyKind === 'text' || bodyKind === 'xml'"
        v-model="bodyText"
        class="mono"
        rows="5"
        auto-grow
        :label="`Body (${mediaType})`"
        :error-messages="shown['body']"
      />
      <BodyInput
        v-else-if="bodyKind !== 'file'"
        v-model="bodyText"
        :schema="content?.schema"
        :fault="shown['body']"
      />
      <FileChooser
        v-if="bodyKind === 'file' || bodyKind === 'multipart'"
        :label="bodyKind === 'file' ? `The bytes (${mediaType})` : 'Add a file'"
        @choose="readFile"
      />
    </template>
    <v-select
      v-model="using"
      :items="credentials"
      clearable
      label="Credential"
      :placeholder="credential ? `as the API says: ${credential}` : 'none'"
      persistent-placeholder
      :error-messages="faults['using']"
    />
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert v-if="asking" type="warning">
      This call {{ operation.effect === "writes" ? "writes" : "changes something" }}: {{ operation.method }}
      {{ operation.path }} is sent for real.
      <div class="d-flex ga-2 mt-2">
        <v-btn color="warning" variant="flat" size="small" @click="send">Send</v-btn>
        <v-btn size="small" @click="asking = false">Cancel</v-btn>
      </div>
    </v-alert>
    <div v-else><v-btn type="submit" color="primary" variant="flat" :loading="busy">Send now</v-btn></div>
  </form>
  <TryResultView v-if="result" :result="result" class="mt-4" />
  <SaveSample
    v-if="result && result.status !== null"
    :api-name="apiName"
    :operation-id="operation.id"
    :status="result.status"
    :from="{ try: result.id }"
    class="mt-3"
    @saved="emit('saved')"
  />
  <template v-if="tries.length > 0">
    <h3 class="mt-4 mb-1">Recent calls</h3>
    <ul class="tries">
      <li v-for="entry in tries" :key="entry.id">
        <button type="button" @click="look(entry)">
          <span :class="entry.status !== null && entry.status < 400 ? 'text-success' : 'text-error'">{{
            entry.status ?? "no response"
          }}</span>
          <span class="dim">{{ when(entry.at) }}, {{ entry.took }} ms</span>
          <span class="mono cut">{{ sentIn(entry) }}</span>
        </button>
      </li>
    </ul>
  </template>
</template>

<style scoped>
.try {
  display: grid;
  gap: 12px;
}
.tries {
  list-style: none;
}
.tries button {
  display: flex;
  gap: 10px;
  width: 100%;
  min-width: 0;
  text-align: left;
  padding: 2px 4px;
  font-size: 0.875rem;
}
.tries button:hover {
  background: rgb(var(--v-theme-surface-variant));
}
.cut {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
</style>
