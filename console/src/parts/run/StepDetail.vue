<script setup lang="ts">
import {
  bodyOfAttempt,
  operationName,
  principalName,
  statusText,
  type Json,
  type RecordedRequest,
} from "@copper-kettle/core";
import { computed, ref, watch } from "vue";
import { curlOf } from "../../logic/call-curl.js";
import { when } from "../../logic/format.js";
import type { Row } from "../../logic/waterfall.js";
import CopyText from "../shared/CopyText.vue";
import DetailsText from "../shared/DetailsText.vue";
import BodyView from "../shared/BodyView.vue";
import SaveSample from "../api/SaveSample.vue";
import JsonTree from "../shared/JsonTree.vue";
import RecordPanel from "./RecordPanel.vue";
import StateMark from "../shared/StateMark.vue";

/** `workflow` is where the step can be edited; `said` is a failure that stands above already. */
const props = defineProps<{
  row: Row;
  over: boolean;
  run: string;
  workflow?: string;
  said?: string | undefined;
}>();
const emit = defineEmits<{ again: [] }>();
const request = computed(() => props.row.begun?.data["request"] as unknown as RecordedRequest | undefined);
const chosen = ref(0);
watch(
  () => props.row.attempts.length,
  (count) => (chosen.value = Math.max(0, count - 1)),
  { immediate: true },
);
const attempt = computed(() => props.row.attempts[chosen.value]);
/** An attempt by its number; of a call over several requests, by the page or look that it is of. */
function labelOf({ attempt, leg, response, failure }: Row["attempts"][number]): string {
  const legs = props.row.attempts.some((one) => (one.leg ?? 0) > 0);
  const name = legs ? `request ${(leg ?? 0) + 1}` : `attempt ${attempt}`;
  return `${name}: ${response?.status ?? failure?.kind}`;
}
const pretended = {
  rehearsal: "Not sent, because this is a rehearsal. The response below is an example.",
  fault: "Not sent: this run simulates a fault at this step.",
};
/** Whether anything of it may have left. */
const left = computed(
  () =>
    props.row.unsure !== undefined ||
    props.row.attempts.some(
      (one) => !one.pretended && (one.response !== undefined || one.failure?.sent === true),
    ),
);
const ended = computed(() => props.row.ended !== undefined);
/** Waits for something before it is sent for the first time. */
const isBefore = computed(
  () =>
    !ended.value &&
    !left.value &&
    props.row.attempts.length === 0 &&
    !props.row.segments.some(({ kind }) => kind === "sending"),
);
const heading = computed(() => {
  if (attempt.value?.pretended) return "Request, as it would have been sent";
  if (isBefore.value) return "Request, as it will be sent";
  return ended.value && !left.value ? "Request, which was not sent" : "Request, as it was sent";
});
const noResponse = computed(() => {
  if (props.row.unsure) return "No response came.";
  if (isBefore.value) return "Nothing was sent yet.";
  return ended.value ? "Nothing was sent, so there is no response." : "No response yet.";
});
const decisions: Record<string, string> = {
  happened: "it happened",
  again: "send it again",
  skip: "go on without it",
  stop: "stop the run",
  continue: "continue",
};
/** The operation whose response can be saved as a sample: the last one that came. */
const sampled = computed(() => {
  const last = props.row.attempts.at(-1);
  const name = operationName(String(props.row.begun?.data["operation"] ?? ""));
  return last?.response && !last.pretended && name ? { ...name, status: last.response.status } : undefined;
});
const saving = ref(false);
watch(
  () => props.row.path,
  () => (saving.value = false),
);
/** What proved who calls, with its secrets masked. */
const proofs = computed(() => attempt.value?.authorization ?? props.row.unsure?.authorization ?? []);
const outcome = computed(() => props.row.ended?.outcome);
const headers = (fields: Record<string, unknown>): [string, string][] =>
  Object.entries(fields).map(([name, value]) => [name, [value].flat().join(", ")]);
</script>

<template>
  <section class="detail" :aria-label="`Step ${row.path}`">
    <header>
      <h2 class="mono">{{ row.path }}</h2>
      <StateMark :state="row.state" />
      <span v-if="row.title" class="dim">{{ row.title }}</span>
      <router-link
        v-if="row.line && workflow"
        :to="{ path: `/workflows/${workflow}`, query: { run, step: row.name } }"
        title="Open this step in the editor, with the values of this run"
        >line {{ row.line }} in the editor</router-link
      >
      <span v-else-if="row.line" class="dim">line {{ row.line }}</span>
      <v-spacer />
      <v-btn v-if="over && !/\[|!/.test(row.path)" size="small" variant="text" @click="emit('again')"
        >Again from here</v-btn
      >
    </header>
    <v-alert v-if="row.ended?.error && row.ended.error.message !== said" type="error">{{
      row.ended.error.message
    }}</v-alert>
    <p v-if="row.attempts.at(-1)?.more" class="text-warning">There are more pages than were requested.</p>
    <v-alert v-if="row.state === 'unsure'" type="warning"
      >{{ row.unsure?.reason }} <DetailsText :detail="row.unsure?.detail"
    /></v-alert>
    <v-alert v-for="one in row.decided" :key="one.at" type="info" class="mb-1">
      {{ principalName(one.by) }} decided at {{ when(new Date(one.at).toISOString()) }}:
      {{ decisions[one.decision] ?? one.decision }}.
      <JsonTree v-if="one.outcome !== undefined" :value="one.outcome" />
    </v-alert>
    <p v-if="row.ended?.skipped">{{ row.ended.skipped }}</p>

    <RecordPanel
      v-if="request && row.begun?.data['operation']"
      :run="run"
      :path="row.path"
      :settled="row.ended !== undefined && !row.ended.skipped"
    />
    <template v-if="request">
      <h3 class="d-flex align-center ga-2 flex-wrap">
        {{ heading }}
        <CopyText :text="curlOf(request, proofs)" label="As curl" hidden-text />
        <span class="dim">as curl</span>
      </h3>
      <div class="mono message">
        <div class="first">{{ request.method }} {{ request.url }}</div>
        <div v-for="[name, value] in request.headers" :key="name">
          <span class="name">{{ name }}:</span> {{ value }}
        </div>
        <div v-for="part in proofs" :key="part.name">
          <span class="name">{{ part.place === "header" ? "" : `${part.place} ` }}{{ part.name }}:</span>
          {{ part.value }}
        </div>
        <div v-if="request.body" class="body"><BodyView :body="request.body" as-text :run="run" /></div>
      </div>

      <h3 class="d-flex align-center ga-2 flex-wrap">
        Response
        <v-btn-toggle
          v-if="row.attempts.length > 1"
          v-model="chosen"
          mandatory
          density="compact"
          variant="outlined"
          class="attempts"
        >
          <v-btn v-for="(item, index) in row.attempts" :key="item.attempt" :value="index" size="small">
            {{ labelOf(item) }}
          </v-btn>
        </v-btn-toggle>
      </h3>
      <v-alert v-if="attempt?.pretended" type="info">{{ pretended[attempt.pretended] }}</v-alert>
      <div v-if="attempt" class="mono message">
        <template v-if="attempt.response">
          <div class="first">
            {{ attempt.response.status }}{{ statusText(attempt.response.status) }}
            <span v-if="!attempt.pretended" class="dim">after {{ attempt.at - attempt.sentAt }} ms</span>
          </div>
          <div v-for="[name, value] in headers(attempt.response.headers)" :key="name">
            <span class="name">{{ name }}:</span> {{ value }}
          </div>
          <div v-if="attempt.items" class="body">
            {{ attempt.items.length }} {{ attempt.items.length === 1 ? "item" : "items" }} of this page
          </div>
          <div class="body"><BodyView :body="bodyOfAttempt(attempt)" :run="run" /></div>
          <div v-for="one in attempt.drift ?? []" :key="one.what + one.path" class="text-warning">
            does not match its schema at {{ one.path || "the body" }}: {{ one.detail }}
          </div>
        </template>
        <div v-else>
          No response ({{ attempt.failure?.kind }}): {{ attempt.failure?.message }}
          <DetailsText :detail="attempt.failure?.detail" />
        </div>
        <div v-if="attempt.wait !== undefined" class="dim">
          <template v-if="attempt.renewed">Retried immediately with a new token.</template>
          <template v-else
            >Next attempt after {{ (attempt.wait / 1000).toFixed(1) }} s{{
              attempt.asked ? ", as the response asked" : ""
            }}.</template
          >
        </div>
      </div>
      <p v-else class="dim">{{ noResponse }}</p>
      <template v-if="sampled">
        <SaveSample
          v-if="saving"
          :api-name="sampled.api"
          :operation-id="sampled.id"
          :status="sampled.status"
          :from="{ call: { run, path: row.path } }"
        />
        <div v-else>
          <v-btn size="small" variant="text" @click="saving = true">Save as a sample …</v-btn>
        </div>
      </template>
    </template>

    <template v-else>
      <p v-if="row.kind === 'if'">
        Took the branch <strong>{{ String(row.begun?.data["chose"]) }}</strong>.
      </p>
      <p v-if="row.kind === 'each'">
        {{ row.length }} items,
        {{ [...row.items.values()].filter((state) => state === "succeeded").length }} done.
      </p>
      <p v-if="row.kind === 'wait' && row.begun">
        Until {{ when(new Date(row.begun.data["until"] as number).toISOString()) }}.
      </p>
      <template v-if="outcome !== undefined && outcome !== null">
        <h3>Outcome</h3>
        <p v-if="typeof outcome === 'string'">{{ outcome }}</p>
        <JsonTree v-else :value="outcome as Json" />
      </template>
    </template>
  </section>
</template>

<style scoped>
.detail {
  display: grid;
  gap: 8px;
  align-content: start;
}
header {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
}
h3 {
  font-size: 0.8rem;
  font-weight: 600;
  color: var(--dim);
  margin-top: 6px;
}
.message {
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 8px 10px;
  overflow-wrap: anywhere;
}
.first {
  font-weight: 600;
}
.name {
  color: var(--dim);
}
.body {
  margin-top: 8px;
  padding-top: 8px;
  border-top: 1px dashed var(--line);
}
.attempts {
  height: auto;
  flex-wrap: wrap;
}
</style>
