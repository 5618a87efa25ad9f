<script setup lang="ts">
import { runsRoutes, Unreachable, type RunDetail } from "@copper-kettle/contract";
import { printJson, type Entry } from "@copper-kettle/core";
import { computed, effectScope, onBeforeUnmount, onMounted, reactive, ref, shallowRef } from "vue";
import { api, sentence } from "../api.js";
import { download } from "../logic/download.js";
import { failureWords } from "../logic/failure-words.js";
import { took, when } from "../logic/format.js";
import { followEntries, onRunChange } from "../logic/live.js";
import { useTitles } from "../logic/titles.js";
import { Waterfall } from "../logic/waterfall.js";
import BodyView from "../parts/shared/BodyView.vue";
import BreakpointPanel from "../parts/run/BreakpointPanel.vue";
import CompareWith from "../parts/run/CompareWith.vue";
import DecideCard from "../parts/run/DecideCard.vue";
import PageHead from "../parts/shared/PageHead.vue";
import TimeText from "../parts/shared/TimeText.vue";
import NotSent from "../parts/run/NotSent.vue";
import JsonTree from "../parts/shared/JsonTree.vue";
import ReadCount from "../parts/run/ReadCount.vue";
import RunAgain from "../parts/run/RunAgain.vue";
import StateMark from "../parts/shared/StateMark.vue";
import StepDetail from "../parts/run/StepDetail.vue";
import WaitNotice from "../parts/run/WaitNotice.vue";
import WaterfallView from "../parts/run/WaterfallView.vue";

const props = defineProps<{ id: string }>();
const run = ref<RunDetail>();
const waterfall = shallowRef<Waterfall>();
const version = ref(0);
const selected = ref("");
const fault = ref("");
const now = ref(Date.now());
/** How many entries were read so far; what shows it is a part of its own, since a long run has many pages of them. */
const read = reactive({ entries: 0 });
const scope = effectScope();
/** What is open above the steps. */
const opened = ref<"again" | "compare" | "">("");
const { titleOf, read: readTitles } = useTitles();
/** The newest run of the workflow that succeeded before this one, where this one did not. */
const lastGood = ref("");
/** The step from which it is to be run again. */
const from = ref("");

let expectEntries: ((last: number) => void) | undefined;
async function load(): Promise<void> {
  try {
    const found = await api.call(runsRoutes.run, { params: { id: props.id } });
    expectEntries?.(found.last);
    run.value = found;
    fault.value = "";
  } catch (error) {
    tell(error);
  }
}
async function names({ workflow: name, state, id }: RunDetail): Promise<void> {
  const [, good] = await Promise.all([
    readTitles(),
    state === "succeeded"
      ? undefined
      : api
          .call(runsRoutes.listRuns, { query: { workflow: name, state: "succeeded", before: id, limit: 1 } })
          .catch(() => undefined),
  ]);
  lastGood.value = good?.runs[0]?.id ?? "";
}
/** That the service is away is said above every page. */
function tell(error: unknown): void {
  const text = sentence(error);
  if (!(error instanceof Unreachable) || !run.value) fault.value = text;
}

onMounted(async () => {
  // What happened is asked for together with the run, and waits for it.
  const early: [Entry[], boolean][] = [];
  let take = (entries: Entry[], isWhole: boolean): void => void early.push([entries, isWhole]);
  const came = (entries: Entry[], isWhole: boolean): void => take(entries, isWhole);
  const loading = load();
  scope.run(() => {
    expectEntries = followEntries(props.id, came, (error) => void loading.then(() => tell(error)));
  });
  await loading;
  if (!run.value) return;
  void names(run.value);
  const made = new Waterfall(run.value.steps);
  waterfall.value = made;
  take = (entries, isWhole) => {
    made.take(entries);
    read.entries += entries.length;
    // What is half read would tell of a run that still goes on.
    if (!isWhole) return;
    if (!selected.value || !made.rows.has(selected.value)) selected.value = interesting(made);
    const isFirst = version.value++ === 0;
    const changes = new Set(["finished", "rested", "decided"]);
    // The run was read just now, but for what happened since.
    if (entries.some(({ type }) => changes.has(type)) && !(isFirst && run.value?.endedAt)) void load();
  };
  for (const [entries, isWhole] of early) take(entries, isWhole);
});
onBeforeUnmount(() => scope.stop());
onRunChange(() => void load());
const clock = setInterval(() => (now.value = Date.now()), 500);
onBeforeUnmount(() => clearInterval(clock));

/** What a person most likely wants to see first: what went wrong, else the first call. */
function interesting(made: Waterfall): string {
  const rows = [...made.rows.values()];
  const wrong = rows.find((row) => row.state === "unsure") ?? rows.find((row) => row.ended?.error);
  const waiting = rows.find((row) => row.state === "waiting" && row.begun !== undefined);
  return (wrong ?? waiting ?? rows.find((row) => row.kind === "request") ?? rows[0])?.path ?? "";
}

/** What the failure most likely means, and what to do. */
const meaning = computed(() => {
  const failed =
    version.value > 0 && run.value?.error?.step ? waterfall.value?.rows.get(run.value.error.step) : undefined;
  return failed && failureWords(failed);
});
// A copy each time: rows change in place, and what shows one must see that it changed.
const row = computed(() => {
  const found = version.value > 0 ? waterfall.value?.rows.get(selected.value) : undefined;
  return found && { ...found, attempts: [...found.attempts] };
});
/** What a person may want to read of a run like this. */
const help = computed(() => {
  const { state, rehearsal } = run.value ?? {};
  if (state === "unsure" || state === "parked") return `words#${state}`;
  return rehearsal ? "words#rehearsal" : "runs";
});
const active = computed(() => run.value !== undefined && run.value.endedAt === null);

const rows = computed(() => (version.value > 0 ? [...(waterfall.value?.rows.values() ?? [])] : []));
/** Loops with items that failed: those can be done again by themselves. */
const failedLoops = computed(() =>
  rows.value
    .filter((one) => one.kind === "each" && [...one.items.values()].includes("failed"))
    .map(({ name }) => name),
);

const downloading = ref(false);
async function downloadJournal(): Promise<void> {
  downloading.value = true;
  try {
    const lines: string[] = [];
    for (let after = -1, more = true; more;) {
      const page = await api.call(runsRoutes.journal, { params, query: { after, limit: 2_000 } });
      for (const item of page.entries) lines.push(`${printJson(item)}\n`);
      more = page.more;
      after = page.entries.at(-1)?.seq ?? after;
    }
    download(`${run.value?.workflow ?? "run"}-${props.id}.jsonl`, lines.join(""), "application/x-ndjson");
  } catch (error) {
    tell(error);
  } finally {
    downloading.value = false;
  }
}
async function act(work: () => Promise<unknown>): Promise<void> {
  try {
    await work();
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
const params = { id: props.id };
const stop = (how: "after-step" | "now"): Promise<void> =>
  act(() => api.call(runsRoutes.stopRun, { params, body: { how } }));
const release = (): Promise<void> => act(() => api.call(runsRoutes.resumeRun, { params }));
function again(step = ""): void {
  from.value = step;
  opened.value = "again";
}
</script>

<template>
  <div class="page run">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!run && !fault" indeterminate />
    <template v-if="run">
      <PageHead
        times
        :help="help"
        :title="titleOf(run.workflow)"
        :name="run.workflow"
        :tab="`${run.workflow}, run ${run.id}`"
        :up="[
          { title: 'Runs', to: '/runs' },
          { title: titleOf(run.workflow), to: `/workflows/${run.workflow}` },
        ]"
      >
        <span class="dim">{{ run.version === 0 ? "draft" : `version ${run.version}` }}</span>
        <StateMark :state="run.state" />
        <span
          ><TimeText :at="run.createdAt" />, {{ run.trigger.kind
          }}{{ run.startedBy && !run.trigger.caller ? `, started by ${run.startedBy}` : "" }}</span
        >
        <span v-if="run.startedAt">{{ took(run, now) }}</span>
        <span>{{ run.calls }} {{ run.calls === 1 ? "call" : "calls" }}</span>
        <span v-if="run.problems > 0" class="text-warning"
          >{{ run.problems }} {{ run.problems === 1 ? "problem" : "problems" }}</span
        >
        <span v-if="run.wakeAt">resumes at {{ when(run.wakeAt) }}</span>
        <v-chip v-if="run.rehearsal" size="small" color="info">rehearsal</v-chip>
        <span v-if="run.origin"
          >repeats <router-link class="mono" :to="`/runs/${run.origin}`">{{ run.origin }}</router-link></span
        >
        <span v-if="run.trigger.caller"
          >called by
          <router-link class="mono" :to="`/runs/${run.trigger.caller.run}`">{{
            run.trigger.caller.run
          }}</router-link></span
        >
        <span class="mono dim">{{ run.id }}</span>
        <template #actions>
          <template v-if="active">
            <v-btn @click="stop('after-step')">Stop after the step</v-btn>
            <v-btn color="error" @click="stop('now')">Stop now</v-btn>
          </template>
          <v-btn
            :color="active ? undefined : 'primary'"
            :variant="active ? undefined : 'flat'"
            @click="again()"
            >Run again</v-btn
          >
          <v-btn v-if="lastGood" :to="`/runs/${run.id}/compare/${lastGood}`"
            >Compare with the last good run</v-btn
          >
          <v-btn @click="opened = 'compare'">Compare …</v-btn>
          <v-btn :to="`/runs/${run.id}/expressions`">Try expressions</v-btn>
        </template>
      </PageHead>
      <v-alert
        v-if="run.error"
        type="error"
        :title="run.error.step ? `Step ${run.error.step} failed` : 'The run failed'"
        >{{ run.error.message }}
        <p v-if="meaning" class="mt-1">{{ meaning }}</p></v-alert
      >
      <v-alert v-else-if="run.state === 'parked'" type="warning" title="Parked">
        {{ run.message }}
        <div class="mt-2"><v-btn size="small" @click="release">Resume run</v-btn></div>
      </v-alert>
      <BreakpointPanel
        v-else-if="run.waits.some((wait) => wait.kind === 'breakpoint')"
        :run="run"
        @done="load"
      />
      <WaitNotice v-else-if="run.waits.length > 0" :run="run" />
      <v-alert v-else-if="run.message" type="info">{{ run.message }}</v-alert>
      <RunAgain
        v-if="opened === 'again'"
        :key="from"
        :run="run"
        :from="from"
        :loops="failedLoops"
        @close="opened = ''"
      />
      <CompareWith v-else-if="opened === 'compare'" :run="run" @close="opened = ''" />
      <NotSent v-if="run.rehearsal && !active" :rows="rows" @select="selected = $event" />
      <template v-if="active">
        <DecideCard
          v-for="item in run.unsure"
          :key="`${item.path} ${item.attempt}`"
          :run="run"
          :item="item"
          :row="rows.find((one) => one.path === item.path)"
          :rows="rows"
          @decided="load"
        />
      </template>
      <div class="two">
        <v-card class="pa-2 left">
          <ReadCount v-if="version === 0" :read="read" />
          <WaterfallView
            v-if="waterfall && version > 0"
            :waterfall="waterfall"
            :version="version"
            :now="now"
            :selected="selected"
            :stops="run.stops"
            @select="selected = $event"
          />
          <div class="ends">
            <details>
              <summary>Inputs</summary>
              <JsonTree :value="run.inputs" />
            </details>
            <details v-if="run.response" open>
              <summary>Response {{ run.response.status }}</summary>
              <BodyView :body="run.response.body" :run="run.id" />
            </details>
            <p v-if="version > 0">
              <v-btn size="small" variant="text" :loading="downloading" @click="downloadJournal"
                >Download the journal</v-btn
              >
              <span class="dim">each entry as JSON on a line; secrets are masked</span>
            </p>
          </div>
        </v-card>
        <v-card class="pa-3 right">
          <StepDetail
            v-if="row"
            :key="row.path"
            :run="id"
            :workflow="run.workflow"
            :row="row"
            :said="run.error?.message"
            :over="!active"
            @again="again(row.name)"
          />
          <p v-else-if="version > 0" class="dim">Nothing has happened yet.</p>
        </v-card>
      </div>
    </template>
  </div>
</template>

<style scoped>
.run {
  display: grid;
  gap: 12px;
}
.right {
  position: sticky;
  top: 56px;
  max-height: calc(100vh - 72px);
  overflow: auto;
}
.ends {
  padding: 10px 8px 4px;
  display: grid;
  gap: 6px;
}
summary {
  cursor: pointer;
  font-weight: 600;
  font-size: 0.875rem;
}
@media (max-width: 900px) {
  .right {
    position: static;
    max-height: none;
  }
}
</style>
