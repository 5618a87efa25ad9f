<script setup lang="ts">
import { routes, type OutlineStep, type Run, type WorkflowDetail } from "@copper-kettle/contract";
import type { Problem } from "@copper-kettle/core";
import { computed, onMounted, ref, watch } from "vue";
import { api, isConflict, sentence } from "../api.js";
import { onRunChange } from "../logic/live.js";
import { isInLoop } from "../logic/outline.js";
import { readUnsaved, writeUnsaved } from "../logic/unsaved.js";
import AdoptPanel from "../parts/workflow/AdoptPanel.vue";
import DraftConflict from "../parts/workflow/DraftConflict.vue";
import RememberedPanel from "../parts/workflow/RememberedPanel.vue";
import OutlineView from "../parts/workflow/OutlineView.vue";
import RunTable from "../parts/shared/RunTable.vue";
import StartForm from "../parts/workflow/StartForm.vue";
import TestPanel from "../parts/workflow/TestPanel.vue";
import TriggersPanel from "../parts/workflow/TriggersPanel.vue";
import VersionsPanel from "../parts/workflow/VersionsPanel.vue";
import WorkflowNotes from "../parts/workflow/WorkflowNotes.vue";
import ProblemList from "../parts/workflow/ProblemList.vue";
import YamlEditor from "../parts/workflow/YamlEditor.vue";

const props = defineProps<{ name: string }>();
const workflow = ref<WorkflowDetail>();
const runs = ref<Run[]>([]);
const text = ref("");
const problems = ref<Problem[]>([]);
const fault = ref("");
const busy = ref("");
const notice = ref("");
/** The step that is to become an operation. */
const adopting = ref("");
/** The step that is to be tested alone. */
const testing = ref<OutlineStep>();
const editor = ref<InstanceType<typeof YamlEditor>>();
const tab = ref("outline");

/** The revision that the text began from: saving over a newer one would lose somebody else's change. */
const base = ref(0);
/** The draft as somebody else left it, where it is not the one that the text began from. */
const theirs = ref<WorkflowDetail>();
const unsaved = computed(() => workflow.value !== undefined && text.value !== workflow.value.text);
const errors = computed(() => problems.value.filter((problem) => problem.severity === "error"));
/** Single line ends of the text are where its file broke a line; blank lines begin a paragraph. */
const paragraphs = computed(() =>
  (workflow.value?.about ?? "").split(/\n\s*\n/).filter((text) => text.trim() !== ""),
);
const faulty = computed(() => new Set(problems.value.map((problem) => problem.line)));

async function loadRuns(): Promise<void> {
  try {
    runs.value = (await api.call(routes.listRuns, { query: { workflow: props.name, limit: 15 } })).runs;
  } catch (error) {
    fault.value = sentence(error);
  }
}
function take(next: WorkflowDetail): void {
  workflow.value = next;
  problems.value = next.problemList;
}
onMounted(async () => {
  try {
    const found = await api.call(routes.workflow, { params: { name: props.name } });
    const typed = readUnsaved(props.name);
    text.value = typed?.text ?? found.text;
    take(found);
    base.value = typed?.base ?? found.revision;
    if (unsaved.value && base.value !== found.revision) theirs.value = found;
  } catch (error) {
    fault.value = sentence(error);
    return;
  }
  await loadRuns();
});
onRunChange(() => void loadRuns());
watch(text, (next) => {
  if (!workflow.value) return;
  const isTyped = next !== workflow.value.text;
  writeUnsaved(props.name, isTyped ? { text: next, base: base.value } : undefined);
});

async function act(what: string, work: () => Promise<WorkflowDetail>): Promise<void> {
  busy.value = what;
  fault.value = "";
  try {
    const next = await work();
    take(next);
    base.value = next.revision;
    writeUnsaved(props.name, undefined);
  } catch (error) {
    if (isConflict(error)) theirs.value = await api.call(routes.workflow, { params });
    else fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
const params = { name: props.name };
const saveDraft = (): Promise<WorkflowDetail> =>
  api.call(routes.pushWorkflow, { params, body: { text: text.value, base: base.value } });
const save = (): Promise<void> => act("save", saveDraft);
const publish = (): Promise<void> =>
  act("publish", async () => {
    if (unsaved.value) {
      const saved = await saveDraft();
      take(saved);
      base.value = saved.revision;
    }
    const published = await api.call(routes.publishWorkflow, { params });
    notice.value = published.notes.join(" ");
    return published;
  });
async function adopted(said: string): Promise<void> {
  adopting.value = "";
  notice.value = said;
  changed(await api.call(routes.workflow, { params }));
}
/** The draft is another one now. */
function changed(next: WorkflowDetail): void {
  text.value = next.text;
  base.value = next.revision;
  take(next);
}
function takeTheirs(next: WorkflowDetail): void {
  theirs.value = undefined;
  changed(next);
}
/** The text goes on from their revision: what it drops of theirs was seen. */
function takeMine(next: WorkflowDetail): void {
  theirs.value = undefined;
  take(next);
  base.value = next.revision;
  writeUnsaved(props.name, { text: text.value, base: base.value });
}
function discard(): void {
  if (!workflow.value) return;
  theirs.value = undefined;
  changed(workflow.value);
}
</script>

<template>
  <div class="page workflow">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert v-if="notice" type="success" closable @click:close="notice = ''">{{ notice }}</v-alert>
    <v-progress-linear v-if="!workflow && !fault" indeterminate />
    <template v-if="workflow">
      <DraftConflict
        v-if="theirs"
        :theirs="theirs"
        :mine="text"
        @take-theirs="takeTheirs(theirs)"
        @take-mine="takeMine(theirs)"
      />
      <header class="head">
        <h1>{{ workflow.title ?? workflow.name }}</h1>
        <span class="mono dim">{{ workflow.name }}</span>
        <span v-if="workflow.published !== null">version {{ workflow.published }}</span>
        <span v-else class="dim">not published</span>
        <span v-if="unsaved" class="text-warning">Unsaved changes</span>
        <span v-else-if="workflow.draft && workflow.published !== null" class="text-warning"
          >newer draft</span
        >
        <v-spacer />
        <v-btn v-if="unsaved" @click="discard">Discard</v-btn>
        <v-btn :disabled="!unsaved" :loading="busy === 'save'" @click="save">Save draft</v-btn>
        <v-btn
          color="primary"
          variant="flat"
          :disabled="errors.length > 0 || (!unsaved && !workflow.draft)"
          :loading="busy === 'publish'"
          @click="publish"
          >Publish</v-btn
        >
      </header>
      <WorkflowNotes :workflow="workflow" />
      <AdoptPanel
        v-if="adopting"
        :workflow="name"
        :step="adopting"
        :unsaved="unsaved"
        :revision="workflow.revision"
        @adopted="adopted"
        @close="adopting = ''"
      />
      <TestPanel
        v-if="testing"
        :key="testing.name"
        :workflow="name"
        :step="testing.name"
        :in-loop="isInLoop(workflow.outline, testing.name)"
        :unsaved="unsaved"
        @close="testing = undefined"
      />
      <div class="two">
        <div class="left">
          <v-card>
            <v-tabs v-model="tab" density="compact" class="tabs">
              <v-tab value="outline">Outline</v-tab>
              <v-tab value="start">Start</v-tab>
              <v-tab value="triggers">Triggers</v-tab>
              <v-tab value="runs">Runs</v-tab>
              <v-tab value="versions">Versions</v-tab>
              <v-tab value="remembered">Remembered</v-tab>
            </v-tabs>
            <div class="pa-3">
              <template v-if="tab === 'outline'">
                <p v-for="paragraph in paragraphs" :key="paragraph" class="dim mb-2 about">{{ paragraph }}</p>
                <OutlineView
                  :outline="workflow.outline"
                  :triggers="workflow.triggers"
                  :faulty="faulty"
                  @go="editor?.goTo($event)"
                  @adopt="adopting = $event"
                  @test="testing = $event"
                />
              </template>
              <StartForm
                v-else-if="tab === 'start'"
                :workflow="workflow.name"
                :schema="workflow.inputs"
                :examples="workflow.examples"
                :last="runs[0]?.id"
                :published="workflow.published !== null"
                :draft="workflow.draft && workflow.problems === 0"
                :steps="workflow.outline"
              />
              <TriggersPanel
                v-else-if="tab === 'triggers'"
                :workflow="workflow.name"
                :published="workflow.published !== null"
                :draft="workflow.draft && workflow.problems === 0"
                :newest-run="runs[0]?.id ?? ''"
              />
              <VersionsPanel
                v-else-if="tab === 'versions'"
                :key="workflow.revision"
                :workflow="workflow"
                @changed="changed"
              />
              <RememberedPanel v-else-if="tab === 'remembered'" :workflow="workflow.name" />
              <RunTable v-else :runs="runs" empty="No runs yet." without-workflow />
            </div>
          </v-card>
          <ProblemList :problems="problems" @go="(line, column) => editor?.goTo(line, column)" />
        </div>
        <v-card class="file"><YamlEditor ref="editor" v-model="text" @problems="problems = $event" /></v-card>
      </div>
    </template>
  </div>
</template>

<style scoped>
.tabs :deep(.v-tab) {
  min-width: 0;
  padding: 0 12px;
}
.workflow {
  display: grid;
  gap: 12px;
}
.two {
  --left: 5fr;
  --right: 6fr;
}
.left {
  display: grid;
  gap: 12px;
}
.about {
  font-size: 0.875rem;
}
.file {
  height: calc(100vh - 136px);
  position: sticky;
  top: 56px;
}
@media (max-width: 900px) {
  .file {
    height: 70vh;
    position: static;
  }
}
</style>
