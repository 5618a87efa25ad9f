<script setup lang="ts">
import { computed, ref } from "vue";
import { useSession } from "../../editor/session.js";
import StepDetail from "../run/StepDetail.vue";

/** Tests of the chosen step, and what came back of the last one. */
const { document, line, values, testing, catalogue, loops } = useSession();
const name = computed(() => line.value?.name ?? "");
const row = computed(() => values.rowOf(name.value));
const run = computed(() => values.runs.value.find(({ id }) => id === values.chosen.value));
const isCall = computed(() =>
  ["request", "operation", "ensure", "workflow"].includes(line.value?.kind ?? ""),
);
/** What the button says of a call that writes. */
const writes = computed(() => {
  const at = line.value;
  if (!at) return "";
  const operation = document.valueAt([...at.path, "operation"]);
  if (typeof operation === "string") {
    const [api, ...rest] = operation.split(".");
    const found = catalogue.value.apis
      .find((one) => one.name === api)
      ?.operations.find(({ id }) => id === rest.join("."));
    return found && found.effect !== "reads" ? `Send for real: ${found.title}` : "";
  }
  const request = String(document.valueAt([...at.path, "request"]) ?? "");
  const [method = ""] = request.split(" ");
  return /^(POST|PUT|PATCH|DELETE)$/.test(method) ? `Send for real: ${method}` : "";
});
/** Of a step in a loop: the item of the innermost. */
const item = computed(() => loops.around.value.filter(({ name: loop }) => loop !== name.value).at(-1)?.item);
const fault = ref<string | null>(null);
const faults = [
  { value: "503", title: "respond with 503 once" },
  { value: "429", title: "respond with 429 once" },
  { value: "404", title: "respond with 404 once" },
  { value: "timeout", title: "sent, and no response in time" },
  { value: "connect", title: "connection refused" },
  { value: "cut", title: "sent, and the connection cut" },
];
function test(): void {
  const status = Number(fault.value);
  const simulated =
    fault.value === null
      ? {}
      : {
          faults: [
            status
              ? { step: name.value, times: 1, status }
              : { step: name.value, times: 1, failure: fault.value as "cut" | "connect" | "timeout" },
          ],
        };
  void testing.run(
    { what: "step", step: name.value, ...(item.value === undefined ? {} : { item: item.value }) },
    simulated,
  );
}
</script>

<template>
  <div class="tests">
    <v-btn :loading="testing.busy.value" @click="test">{{
      writes || (isCall ? "Send now" : "Test this step")
    }}</v-btn>
    <v-btn :disabled="testing.busy.value" @click="testing.run({ what: 'to', step: name })"
      >Test to here</v-btn
    >
    <v-select
      v-if="isCall"
      v-model="fault"
      :items="faults"
      clearable
      placeholder="Simulate a fault"
      aria-label="Simulate a fault"
      class="fault"
    />
    <span v-if="run" class="dim">other steps keep their results of the chosen run</span>
  </div>
  <v-alert v-if="testing.fault.value" type="error">{{ testing.fault.value }}</v-alert>
  <div v-if="row && run" class="card pa-3"><StepDetail :row="row" :over="false" :run="run.id" /></div>
</template>

<style scoped>
.tests {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.fault {
  flex: 0 0 220px;
}
</style>
