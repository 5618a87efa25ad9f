<script setup lang="ts">
import { workflowsRoutes } from "@copper-kettle/contract";
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { api } from "../api.js";
import { useArrival } from "../editor/arriving.js";
import { useBreakpoints } from "../editor/breakpoints.js";
import { useDocument } from "../editor/document.js";
import { useInForce } from "../editor/in-force.js";
import { useLoops } from "../editor/loops.js";
import { useMarks } from "../editor/marks.js";
import { usePause } from "../editor/pause.js";
import { useLineScope } from "../editor/scope.js";
import { provideSession, useShownFields, type Caret } from "../editor/session.js";
import { useInAddress } from "../logic/in-address.js";
import { useCatalogue } from "../logic/known.js";
import { useTesting } from "../editor/testing.js";
import { useRunValues } from "../editor/values.js";
import EditorHead from "../parts/editor/EditorHead.vue";
import ExchangePane from "../parts/editor/ExchangePane.vue";
import MapPane from "../parts/editor/MapPane.vue";
import OutlinePane from "../parts/editor/OutlinePane.vue";
import EditorNotices from "../parts/editor/EditorNotices.vue";
import PausedBar from "../parts/editor/PausedBar.vue";
import PublishPanel from "../parts/editor/PublishPanel.vue";
import TestInputs from "../parts/editor/TestInputs.vue";
import TextPane from "../parts/editor/TextPane.vue";
import PageHead from "../parts/shared/PageHead.vue";
import RunTable from "../parts/shared/RunTable.vue";
import AdoptPanel from "../parts/workflow/AdoptPanel.vue";
import DraftConflict from "../parts/workflow/DraftConflict.vue";
import ProblemList from "../parts/workflow/ProblemList.vue";
import RememberedPanel from "../parts/workflow/RememberedPanel.vue";
import StartForm from "../parts/workflow/StartForm.vue";
import TriggersPanel from "../parts/workflow/TriggersPanel.vue";
import VersionsPanel from "../parts/workflow/VersionsPanel.vue";
import WorkflowNotes from "../parts/workflow/WorkflowNotes.vue";

const props = defineProps<{ name: string }>();
const draft = useDocument(props.name);
const catalogue = useCatalogue();
const values = useRunValues(props.name, catalogue);
const breakpoints = useBreakpoints(props.name);
const pause = usePause(values);
const testing = useTesting(draft, values, breakpoints);
const chosen = ref("");
const caret = shallowRef<Caret>();
const showsValues = ref(false);
const line = computed(() => draft.lines.value.find(({ id }) => id === chosen.value));
const scope = useLineScope(draft, line, values);
const loops = useLoops(draft, line, values, scope);
provideSession({
  document: draft,
  values,
  testing,
  loops,
  breakpoints,
  pause,
  inForce: useInForce(draft),
  catalogue,
  chosen,
  line,
  scope,
  marks: useMarks(draft),
  caret,
  showsValues,
  choose: (id) => (chosen.value = id),
  fields: useShownFields(),
});

const tab = useInAddress("tab", ["build", "start", "triggers", "runs", "versions", "remembered"]);
const view = ref<"outline" | "text" | "map">("outline");
const beside = ref(false);
const publishing = ref(false);
const published = ref<string[]>([]);
const showsProblems = ref(false);
/** The step that is to become an operation. */
const adopting = ref("");
const outline = ref<InstanceType<typeof OutlinePane>>();
const text = ref<InstanceType<typeof TextPane>>();
const head = ref<InstanceType<typeof EditorHead>>();
const exchange = ref<HTMLElement>();
const paused = ref<InstanceType<typeof PausedBar>>();
// A test that pauses shows the step before which it did.
watch(
  () => pause.at.value?.path,
  () => {
    const name = pause.at.value?.step;
    const at = draft.lines.value.find((one) => one.what === "step" && one.name === name);
    if (at) chosen.value = at.id;
  },
);
const workflow = computed(() => draft.workflow.value);
const title = computed(() => {
  const found = draft.valueAt(["title"]);
  return typeof found === "string" ? found : props.name;
});
/** Whether problems are listed by themselves: those that are still there a moment later, and not each of a word half typed. */
const isFaulty = ref(false);
let stays: ReturnType<typeof setTimeout> | undefined;
watch(
  () => draft.problems.value.some(({ severity }) => severity !== "advice"),
  (now) => {
    clearTimeout(stays);
    if (now) stays = setTimeout(() => (isFaulty.value = true), 600);
    else isFaulty.value = false;
  },
);
onBeforeUnmount(() => clearTimeout(stays));

watch(
  () => draft.lines.value,
  (lines) => {
    if (lines.length > 0 && !lines.some(({ id }) => id === chosen.value))
      chosen.value = lines.find(({ what }) => what === "step")?.id ?? "";
  },
);

useArrival(draft, values, (id) => (chosen.value = id));

let problemAt = -1;
function nextProblem(): void {
  const list = draft.problems.value.filter(({ severity }) => severity !== "advice");
  if (list.length === 0) return;
  problemAt = (problemAt + 1) % list.length;
  const problem = list[problemAt];
  showsProblems.value = true;
  if (problem) goTo(problem.line, problem.column);
}
async function goTo(number: number, column = 1): Promise<void> {
  tab.value = "build";
  const at = draft.lines.value.findLast((one) => one.line <= number && one.what !== "branch");
  if (at) chosen.value = at.id;
  if (draft.isOld.value || view.value === "text") view.value = "text";
  await nextTick();
  text.value?.goTo(number, column);
}
function onKey(event: KeyboardEvent): void {
  const mod = event.ctrlKey || event.metaKey;
  const target = event.target as HTMLElement;
  const isTyping = /^(INPUT|TEXTAREA)$/.test(target.tagName) || target.isContentEditable;
  if (mod && event.key === "s") void draft.save();
  else if (event.key === "F8") nextProblem();
  else if (event.key === "F10" && pause.at.value)
    void paused.value?.goOn(mod ? undefined : event.shiftKey && pause.at.value.isInLoop ? "item" : "step");
  else if (event.key === "F9" && event.shiftKey) void testing.run({ what: "all" });
  else if (event.key === "F9" && line.value?.what === "step")
    void testing.run({ what: "step", step: line.value.name });
  else if (!isTyping && event.key === "?") head.value?.showKeys();
  else if (!isTyping && mod && event.key.toLowerCase() === "z") (event.shiftKey ? draft.redo : draft.undo)();
  else if (!isTyping && mod && event.key === "y") draft.redo();
  else return;
  event.preventDefault();
}
onMounted(() => window.addEventListener("keydown", onKey));
onBeforeUnmount(() => window.removeEventListener("keydown", onKey));

/** The first field of the exchange has the focus. */
async function toExchange(): Promise<void> {
  await nextTick();
  exchange.value
    ?.querySelector<HTMLElement>(
      ".form .cm-content, .form input:not([type=checkbox], [type=hidden]), .form textarea",
    )
    ?.focus();
}
function done(notes: string[]): void {
  publishing.value = false;
  published.value = notes.length > 0 ? notes : ["It is in force from now on."];
}
async function adopted(said: string): Promise<void> {
  adopting.value = "";
  published.value = [said];
  draft.take(await api.call(workflowsRoutes.workflow, { params: { name: props.name } }));
}
/** A call that says its own method and address, and no operation. */
const isInline = computed(() => line.value?.kind === "request");
</script>

<template>
  <div class="page editor">
    <v-progress-linear v-if="!workflow && !draft.fault.value" indeterminate />
    <PageHead
      times
      :title="title"
      :name="name"
      :tab="`${title}, ${name}`"
      :up="[{ title: 'Workflows', to: '/workflows' }]"
    >
      <EditorHead
        v-if="workflow"
        ref="head"
        :building="tab === 'build'"
        @problem="nextProblem"
        @publish="publishing = !publishing"
      />
    </PageHead>
    <EditorNotices v-model="published" />
    <template v-if="workflow">
      <DraftConflict
        v-if="draft.theirs.value"
        :theirs="draft.theirs.value"
        :mine="draft.text.value"
        @take-theirs="draft.takeTheirs()"
        @take-mine="draft.keepMine()"
      />
      <PublishPanel v-if="publishing" @close="publishing = false" @published="done" />
      <TestInputs v-if="testing.asks.value" />
      <PausedBar ref="paused" />
      <WorkflowNotes :workflow="workflow" />
      <AdoptPanel
        v-if="adopting"
        :workflow="name"
        :step="adopting"
        :unsaved="draft.saving.value !== 'saved'"
        :revision="workflow.revision"
        @adopted="adopted"
        @close="adopting = ''"
      />
      <v-tabs v-model="tab" density="compact" class="tabs">
        <v-tab value="build">Build</v-tab>
        <v-tab value="start">Start</v-tab>
        <v-tab value="triggers">Triggers</v-tab>
        <v-tab value="runs">Runs</v-tab>
        <v-tab value="versions">Versions</v-tab>
        <v-tab value="remembered">Remembered values</v-tab>
      </v-tabs>
      <div v-if="tab === 'build'" class="panes" :class="{ beside: beside && view === 'outline' }">
        <div class="left card">
          <div class="views">
            <v-btn-toggle v-model="view" mandatory density="compact" variant="outlined">
              <v-btn value="outline" size="small">Outline</v-btn>
              <v-btn value="text" size="small">Text</v-btn>
              <v-btn value="map" size="small">Map</v-btn>
            </v-btn-toggle>
            <v-checkbox
              v-if="view === 'outline'"
              v-model="beside"
              label="text beside it"
              density="compact"
              hide-details
              class="wide"
            />
            <v-btn v-if="isInline && line" size="small" variant="text" @click="adopting = line.name"
              >Make an operation of {{ line.name }}</v-btn
            >
          </div>
          <OutlinePane v-if="view === 'outline'" ref="outline" class="fill" @opened="toExchange" />
          <TextPane v-else-if="view === 'text'" ref="text" class="fill" />
          <MapPane v-else class="fill" />
          <ProblemList
            v-if="showsProblems || isFaulty"
            class="below"
            :problems="draft.problems.value"
            @go="goTo"
          />
        </div>
        <div v-if="beside && view === 'outline'" class="card middle"><TextPane ref="text" /></div>
        <div ref="exchange" class="right card"><ExchangePane /></div>
      </div>
      <v-card v-else class="pa-3">
        <StartForm
          v-if="tab === 'start'"
          :workflow="workflow.name"
          :schema="workflow.inputs"
          :examples="workflow.examples"
          :last="values.runs.value[0]?.id"
          :published="workflow.published !== null"
          :draft="workflow.draft && workflow.problems === 0"
          :steps="workflow.outline"
        />
        <TriggersPanel
          v-else-if="tab === 'triggers'"
          :workflow="workflow.name"
          :published="workflow.published !== null"
          :draft="workflow.draft && workflow.problems === 0"
          :newest-run="values.runs.value[0]?.id ?? ''"
        />
        <VersionsPanel
          v-else-if="tab === 'versions'"
          :key="workflow.revision"
          :workflow="workflow"
          @changed="draft.take($event)"
        />
        <RememberedPanel v-else-if="tab === 'remembered'" :workflow="workflow.name" />
        <RunTable v-else :runs="values.runs.value" empty="No runs yet." />
      </v-card>
    </template>
  </div>
</template>

<style scoped>
.editor {
  max-width: none;
}
.tabs {
  margin-bottom: 8px;
}
.tabs :deep(.v-tab) {
  min-width: 0;
  padding: 0 12px;
}
.panes {
  display: grid;
  grid-template-columns: minmax(0, 9fr) minmax(0, 11fr);
  gap: 10px;
  height: calc(100vh - 178px);
  min-height: 420px;
}
.panes.beside {
  grid-template-columns: minmax(0, 9fr) minmax(0, 8fr) minmax(0, 10fr);
}
.left,
.middle {
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.left :deep(.lines) {
  flex: 0 1 auto;
}
.fill {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.right {
  overflow: auto;
}
.views {
  display: flex;
  flex: none;
  flex-wrap: wrap;
  gap: 4px 10px;
  align-items: center;
  padding: 8px 12px 0;
}
.below {
  max-height: 30%;
  overflow: auto;
  border-width: 1px 0 0;
  border-radius: 0;
  flex: none;
}
@media (max-width: 900px) {
  .panes,
  .panes.beside {
    grid-template-columns: minmax(0, 1fr);
    height: auto;
  }
  .fill {
    min-height: 50vh;
  }
}
</style>
