<script setup lang="ts">
import { versionsRoutes, type OutputOf, type WorkflowDetail } from "@copper-kettle/contract";
import { computed, onMounted, ref, watch } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";
import GrantsTable from "./GrantsTable.vue";

/** The versions of a workflow: what changed between two, and back to an older one. */
const props = defineProps<{ workflow: WorkflowDetail }>();
const emit = defineEmits<{ changed: [workflow: WorkflowDetail] }>();
const versions = ref<OutputOf<typeof versionsRoutes.versions>["versions"]>([]);
const from = ref(0);
const to = ref(0);
const diff = ref("");
const fault = ref("");
const asked = ref(0);
const params = { name: props.workflow.name };

const choices = computed(() => [
  { value: 0, title: "the draft" },
  ...versions.value.map(({ version }) => ({ value: version, title: `version ${version}` })),
]);
/** Lines of a unified diff from its first place on, each with what it is. */
const lines = computed(() => {
  const all = diff.value.trimEnd().split("\n");
  const kinds: Record<string, string> = { "@": "place", "+": "added", "-": "removed" };
  return all
    .slice(all.findIndex((text) => text.startsWith("@@")))
    .map((text) => ({ text, kind: kinds[text[0] ?? ""] ?? "" }));
});

async function load(): Promise<void> {
  try {
    versions.value = (await api.call(versionsRoutes.versions, { params })).versions;
    from.value = versions.value[props.workflow.draft ? 0 : 1]?.version ?? versions.value[0]?.version ?? 0;
    to.value = props.workflow.draft ? 0 : (versions.value[0]?.version ?? 0);
    await compare();
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function compare(): Promise<void> {
  try {
    diff.value = (
      await api.call(versionsRoutes.diffVersions, { params, query: { from: from.value, to: to.value } })
    ).diff;
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function rollBack(version: number): Promise<void> {
  if (asked.value !== version) {
    asked.value = version;
    return;
  }
  asked.value = 0;
  try {
    emit("changed", await api.call(versionsRoutes.rollBack, { params, body: { version } }));
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
watch([from, to], () => void compare());
</script>

<template>
  <section class="versions">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <p v-if="versions.length === 0" class="dim">Not published yet.</p>
    <template v-else>
      <table class="lines" aria-label="Versions">
        <tbody>
          <tr v-for="one in versions" :key="one.version">
            <td>version {{ one.version }}</td>
            <td class="text-no-wrap">{{ when(one.publishedAt) }}</td>
            <td>{{ one.publishedBy }}</td>
            <td class="text-right">
              <span v-if="one.current" class="dim">published now</span>
              <v-btn v-else size="small" variant="text" @click="rollBack(one.version)">{{
                asked === one.version ? "Publish it anew?" : "Back to it"
              }}</v-btn>
            </td>
          </tr>
        </tbody>
      </table>
      <GrantsTable :name="workflow.name" :version="workflow.published" />
      <div class="pair">
        <v-select v-model="from" :items="choices" label="What changed from" hide-details />
        <v-select v-model="to" :items="choices" label="to" hide-details />
      </div>
      <p v-if="!diff" class="dim">No differences.</p>
      <pre v-else class="mono diff" aria-label="What changed"><div
        v-for="(line, index) in lines"
        :key="index"
        :class="line.kind"
      >{{ line.text || " " }}</div></pre>
    </template>
  </section>
</template>

<style scoped>
.versions {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
}
.diff {
  overflow: auto;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 6px 0;
}
.diff div {
  padding: 0 8px;
  min-width: max-content;
}
.added {
  background: rgba(var(--v-theme-success), 0.16);
}
.removed {
  background: rgba(var(--v-theme-error), 0.14);
}
.place {
  color: var(--dim);
}
</style>
