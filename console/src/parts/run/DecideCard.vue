<script setup lang="ts">
import { runsRoutes, triesRoutes, workflowsRoutes, type Run, type TryResult } from "@copper-kettle/contract";
import { parseJson, printJson, readersOf, valueOfText, type Decision, type Json } from "@copper-kettle/core";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../../api.js";
import { curlOf } from "../../logic/call-curl.js";
import { whenExactly } from "../../logic/format.js";
import { hasKey, lookUpFor, requestOf, responseFrom } from "../../logic/look-up.js";
import type { Row } from "../../logic/waterfall.js";
import BodyView from "../shared/BodyView.vue";
import CopyText from "../shared/CopyText.vue";
import DetailsText from "../shared/DetailsText.vue";
import JsonTree from "../shared/JsonTree.vue";

/** One call that may or may not have been carried out: the evidence first, then what may be done. */
const props = defineProps<{ run: Run; item: Run["unsure"][number]; row: Row | undefined; rows: Row[] }>();
const emit = defineEmits<{ decided: [] }>();
const decision = ref<Decision>("happened");
const typed = ref("");
const fault = ref("");
const busy = ref(false);
const found = ref<TryResult>();
const asking = ref(false);
/** The steps that read what this one gives. */
const readers = ref<string[]>([]);

const request = computed(() => requestOf(props.row));
const sentAt = computed(() => {
  const at = props.row?.segments.at(-1)?.from;
  return at === undefined ? "" : whenExactly(new Date(at).toISOString());
});
const curl = computed(() => request.value && curlOf(request.value, props.row?.unsure?.authorization ?? []));
const lookUp = computed(() => props.row && lookUpFor(props.rows, props.row));
const choices = computed<{ decision: Decision; label: string; help: string; button: string }[]>(() => [
  {
    decision: "happened",
    label: "It went through, continue",
    help: "The run continues behind it with this response; left empty, with status 200 and no body.",
    button: "Continue the run",
  },
  {
    decision: "again",
    label: "It did not, send it again",
    help:
      props.row && hasKey(props.row)
        ? "The same request is sent once more, with the same idempotency key: the API knows a repeat."
        : "The same request is sent once more. If it did go through, it is done twice: it has no idempotency key.",
    button: "Send it again",
  },
  {
    decision: "skip",
    label: "Continue without it",
    help:
      readers.value.length === 0
        ? "No step reads what it gives."
        : `${readers.value.join(", ")} ${readers.value.length === 1 ? "reads" : "read"} what it gives, and will see it as absent.`,
    button: "Continue without it",
  },
  {
    decision: "stop",
    label: "Stop the run",
    help: "Nothing more is sent. The run ends as stopped.",
    button: "Stop the run",
  },
]);
const chosen = computed(() => choices.value.find((one) => one.decision === decision.value));

onMounted(async () => {
  const { workflow, version } = props.run;
  const name = /([^/[\]]+)(?:!\w+)?$/.exec(props.item.path)?.[1];
  try {
    const { text } = await api.call(workflowsRoutes.workflow, {
      params: { name: workflow },
      query: version === 0 ? {} : { version },
    });
    readers.value = name === undefined ? [] : readersOf(valueOfText(text), new Set([name]), ["-"]);
  } catch {
    // The version is gone: then nothing is said of who reads it.
  }
});
async function ask(): Promise<void> {
  if (!lookUp.value) return;
  asking.value = true;
  fault.value = "";
  try {
    const { method, url, using } = lookUp.value;
    found.value = await api.call(triesRoutes.tryOperation, {
      body: { method, url, ...(using === undefined ? {} : { using }) },
    });
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    asking.value = false;
  }
}
function take(): void {
  if (!found.value) return;
  decision.value = "happened";
  typed.value = printJson({ status: 200, body: responseFrom(found.value.body) }, 2);
}
async function decide(): Promise<void> {
  const { path, attempt } = props.item;
  fault.value = "";
  let given: Json | undefined;
  try {
    given = decision.value === "happened" && typed.value.trim() !== "" ? parseJson(typed.value) : undefined;
  } catch (error) {
    fault.value = `The response is not JSON: ${(error as Error).message}`;
    return;
  }
  busy.value = true;
  try {
    await api.call(runsRoutes.decideRun, {
      params: { id: props.run.id },
      body: {
        decision: decision.value,
        path,
        attempt,
        ...(given === undefined ? {} : { outcome: given }),
      },
    });
    emit("decided");
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section class="decide" :aria-label="`Decide about ${item.path}`">
    <p class="sentence">
      <b
        >We cannot tell whether <span class="mono">{{ item.path }}</span> was carried out.</b
      >
      {{ item.reason }}
      Look whether it was, then choose.
    </p>
    <div class="two">
      <section v-if="request" class="card part" aria-label="What was sent">
        <h2>
          What was sent <span class="dim">{{ sentAt }}</span>
        </h2>
        <div class="mono message">
          <div>
            <b>{{ request.method }}</b> {{ request.url }}
          </div>
          <div v-for="[name, value] in request.headers" :key="name">
            <span class="dim">{{ name }}:</span> {{ value }}
          </div>
          <div v-for="part in row?.unsure?.authorization ?? []" :key="part.name">
            <span class="dim">{{ part.name }}:</span> {{ part.value }}
          </div>
          <BodyView v-if="request.body" :body="request.body" as-text />
        </div>
        <div class="d-flex ga-3 align-center">
          <CopyText v-if="curl" :text="curl" label="As curl" hidden-text /> <span class="dim">as curl</span>
          <DetailsText :detail="row?.unsure?.detail" />
        </div>
      </section>
      <section class="card part" aria-label="Look it up">
        <h2>Look it up</h2>
        <template v-if="lookUp">
          <p>
            The step <span class="mono">{{ lookUp.step }}</span> read from the same server before. Asking
            again only reads.
          </p>
          <p class="mono url">
            <b>{{ lookUp.method }}</b> {{ lookUp.url }}
          </p>
          <div><v-btn :loading="asking" @click="ask">Ask now</v-btn></div>
          <div v-if="found" class="found">
            <p>
              <b :class="found.status !== null && found.status < 400 ? 'text-success' : 'text-error'">{{
                found.status ?? found.failure?.message
              }}</b>
              <span class="dim"> {{ found.took }} ms</span>
            </p>
            <JsonTree :value="found.body" :open-to="3" />
            <v-btn size="small" class="mt-2" @click="take">Take this as its response</v-btn>
          </div>
        </template>
        <p v-else class="dim">
          No step of this run reads from the same server. Look in the API itself, or with
          <span class="mono">ckettle try</span>.
        </p>
      </section>
    </div>
    <h2>Choose</h2>
    <v-radio-group v-model="decision" class="choices" aria-label="Choose" hide-details>
      <div
        v-for="one in choices"
        :key="one.decision"
        class="card choice"
        :class="{ chosen: one.decision === decision }"
      >
        <v-radio :value="one.decision" density="compact"
          ><template #label
            ><b>{{ one.label }}</b></template
          ></v-radio
        >
        <p class="dim">{{ one.help }}</p>
        <v-textarea
          v-if="one.decision === 'happened'"
          v-model="typed"
          label="The API's response, if you know it"
          rows="2"
          auto-grow
          class="mono"
          placeholder='{ "status": 201, "body": { "id": "g-9" } }'
          @focus="decision = 'happened'"
        />
      </div>
    </v-radio-group>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div class="d-flex ga-3 align-center flex-wrap">
      <v-btn
        :color="decision === 'stop' ? 'error' : 'primary'"
        :variant="decision === 'stop' ? 'outlined' : 'flat'"
        :loading="busy"
        @click="decide"
        >{{ chosen?.button }}</v-btn
      >
      <span class="dim"
        >Your choice is recorded with your name. A <span class="mono">probe</span> on the step decides by
        itself next time.</span
      >
    </div>
  </section>
</template>

<style scoped>
.decide,
.part {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 10px;
  align-content: start;
}
.part {
  padding: 12px 14px;
}
.sentence {
  font-size: 1rem;
}
.message,
.url {
  overflow-wrap: anywhere;
}
.found {
  padding: 8px 10px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
.choices :deep(.v-selection-control-group) {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(230px, 1fr));
  gap: 10px;
}
.choice {
  display: grid;
  gap: 6px;
  align-content: start;
  padding: 10px 12px;
  overflow: visible;
}
.choice.chosen {
  border-color: var(--copper);
  box-shadow: 0 0 0 1px var(--copper);
}
</style>
