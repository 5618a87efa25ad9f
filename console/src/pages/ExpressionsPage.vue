<script setup lang="ts">
import { runsRoutes, type RunDetail } from "@copper-kettle/contract";
import {
  checkShapes,
  compile,
  evaluateToJson,
  ExpressionError,
  isObject,
  ofValue,
  type Json,
  type JsonObject,
  type ShapeScope,
  type ValueMap,
} from "@copper-kettle/core";
import type { Diagnostic } from "@codemirror/lint";
import { computed, onMounted, ref, watch } from "vue";
import { api, sentence } from "../api.js";
import ExpressionInput from "../parts/shared/ExpressionInput.vue";
import JsonTree from "../parts/shared/JsonTree.vue";
import ValueTree from "../parts/shared/ValueTree.vue";
import PageHead from "../parts/shared/PageHead.vue";

/** Expressions tried on the values of a run; they are worked out here, in the browser. */
const props = defineProps<{ id: string }>();
const run = ref<RunDetail>();
const values = ref<JsonObject>();
const fault = ref("");
const textKey = `copper-kettle.expression.${props.id}`;
const text = ref(sessionStorage.getItem(textKey) ?? "");
const input = ref<InstanceType<typeof ExpressionInput>>();
watch(text, (next) => sessionStorage.setItem(textKey, next));

onMounted(async () => {
  try {
    const params = { id: props.id };
    const [one, two] = await Promise.all([
      api.call(runsRoutes.run, { params }),
      api.call(runsRoutes.runScope, { params }),
    ]);
    run.value = one;
    values.value = two;
    if (text.value === "") text.value = "size(steps)";
  } catch (error) {
    fault.value = sentence(error);
  }
});

const scope = computed<ShapeScope>(
  () => new Map(Object.entries(values.value ?? {}).map(([name, value]) => [name, ofValue(value)])),
);
interface Outcome {
  value?: Json | undefined;
  error?: string;
  advice: string[];
  marks: Diagnostic[];
}
const outcome = computed<Outcome>(() => {
  if (!values.value || text.value.trim() === "") return { advice: [], marks: [] };
  try {
    const expression = compile(text.value);
    const { findings } = checkShapes(expression, scope.value);
    const marks = findings.map(({ start, end, message }): Diagnostic => ({
      from: start,
      to: end,
      message,
      severity: "info",
    }));
    const surroundings = { now: () => Date.now(), uuid: () => crypto.randomUUID() };
    try {
      const value = evaluateToJson(expression, values.value as ValueMap, surroundings);
      return { value, advice: findings.map(({ message }) => message), marks };
    } catch (error) {
      return { ...failed(error), marks: [...failed(error).marks, ...marks] };
    }
  } catch (error) {
    return failed(error);
  }
});
function failed(error: unknown): Outcome {
  if (!(error instanceof ExpressionError)) throw error;
  const { message, start, end } = error;
  return {
    error: message,
    advice: [],
    marks: [{ from: start, to: Math.max(end, start + 1), message, severity: "error" }],
  };
}
const kind = computed(() => {
  const { value } = outcome.value;
  if (value === undefined) return "nothing";
  return value === null
    ? "null"
    : Array.isArray(value)
      ? `a list of ${value.length}`
      : isObject(value)
        ? "an object"
        : typeof value;
});
</script>

<template>
  <div class="page">
    <PageHead
      help="expressions"
      title="Expressions"
      :up="[
        { title: 'Runs', to: '/runs' },
        { title: id, to: `/runs/${id}` },
      ]"
    >
      <span v-if="run" class="dim"
        >on the values of the run <router-link :to="`/runs/${id}`" class="mono">{{ id }}</router-link> of
        {{ run.workflow }}</span
      >
    </PageHead>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!values && !fault" indeterminate />
    <div v-if="values" class="two">
      <v-card class="pa-4 values">
        <h2 class="mb-2">Values</h2>
        <p class="dim mb-2">Click a value to insert its path at the caret. Secrets are masked.</p>
        <ValueTree
          v-for="(value, name) in values"
          :key="name"
          :value="value"
          :path="[name]"
          :name="String(name)"
          :root="values"
          :open-to="0"
          @pick="(code) => input?.insert(code)"
        />
      </v-card>
      <div class="column">
        <v-card class="pa-4">
          <ExpressionInput ref="input" v-model="text" :scope="scope" :marks="outcome.marks" />
          <p v-for="advice in outcome.advice" :key="advice" class="text-warning mt-2">{{ advice }}</p>
        </v-card>
        <v-card class="pa-4">
          <h2 class="mb-2">
            Result <span v-if="!outcome.error" class="dim">{{ kind }}</span>
          </h2>
          <v-alert v-if="outcome.error" type="error">{{ outcome.error }}</v-alert>
          <JsonTree v-else-if="outcome.value !== undefined" :value="outcome.value" />
        </v-card>
      </div>
    </div>
  </div>
</template>

<style scoped>
.two {
  --left: 2fr;
  --right: 3fr;
}
.values {
  max-height: calc(100vh - 130px);
  overflow: auto;
}
</style>
