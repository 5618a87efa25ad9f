<script setup lang="ts">
import { samplesRoutes, type OperationDetail, type Sample } from "@copper-kettle/contract";
import { printJson, type JsonObject } from "@copper-kettle/core";
import { computed, onMounted, ref, watch } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";
import BodyView from "../shared/BodyView.vue";
import ConfirmRemove from "../shared/ConfirmRemove.vue";
import SchemaTable from "./SchemaTable.vue";

/** What an operation takes and gives, as its document says, and the samples of it. */
const props = defineProps<{ apiName: string; operation: OperationDetail; renewed: number }>();
const samples = ref<Sample[]>([]);
const openSample = ref("");
const fault = ref("");
async function load(): Promise<void> {
  try {
    const params = { name: props.apiName, id: props.operation.id };
    samples.value = (await api.call(samplesRoutes.listSamples, { params })).samples;
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
watch(() => props.renewed, load);
async function remove(sample: string): Promise<void> {
  try {
    await api.call(samplesRoutes.removeSample, {
      params: { name: props.apiName, id: props.operation.id, sample },
    });
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
/** What the table of the body's schema does not say: which fields are fixed, and by what rule they are taken. */
const ruled = computed(() =>
  props.operation.fields.filter(({ fixed, rule, choices }) => fixed !== undefined || rule || choices),
);
const typeText = (schema: JsonObject): string => {
  const type = [schema["type"] ?? []].flat().join(" or ");
  return [type, schema["format"]].filter(Boolean).join(", ");
};
</script>

<template>
  <div class="facts">
    <p v-if="operation.about" class="about">{{ operation.about }}</p>
    <a v-if="operation.docs" :href="operation.docs" target="_blank" rel="noreferrer">Documentation</a>
    <table v-if="operation.parameters.length > 0" class="lines" aria-label="Parameters">
      <thead>
        <tr>
          <th>Parameter</th>
          <th>Place</th>
          <th>Type</th>
          <th>About</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in operation.parameters" :key="one.in + one.name">
          <td>
            <span class="mono">{{ one.name }}</span><span v-if="one.required" class="dim"> required</span
            ><span v-if="one.fixed !== undefined" class="dim"> fixed</span>
          </td>
          <td>{{ one.in }}</td>
          <td>{{ typeText(one.schema) }}</td>
          <td>
            <span v-if="one.title !== one.name">{{ one.title }}. </span>{{ one.about }}
            <span v-if="one.choices" class="dim"
              >one of {{ one.choices.map((choice) => String(choice)).join(", ") }}</span
            >
            <span v-if="one.default !== undefined" class="dim"> default {{ printJson(one.default) }}</span>
            <span v-if="one.fixed !== undefined" class="mono"> {{ printJson(one.fixed) }}</span>
            <span v-if="one.rule" class="dim"> {{ one.rule.otherwise }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <table v-if="ruled.length > 0" class="lines" aria-label="Fields of the body">
      <thead>
        <tr>
          <th>Field of the body</th>
          <th>About</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in ruled" :key="one.name">
          <td>
            <span class="mono">{{ one.name }}</span><span v-if="one.required" class="dim"> required</span
            ><span v-if="one.fixed !== undefined" class="dim"> fixed</span>
          </td>
          <td>
            <span v-if="one.title !== one.path.at(-1)">{{ one.title }}. </span>{{ one.about }}
            <span v-if="one.choices" class="dim"
              >one of {{ one.choices.map((choice) => String(choice)).join(", ") }}</span
            >
            <span v-if="one.fixed !== undefined" class="mono"> {{ printJson(one.fixed) }}</span>
            <span v-if="one.rule" class="dim"> {{ one.rule.otherwise }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <div v-if="operation.success">
      Succeeds when <code class="mono">{{ operation.success }}</code>
    </div>
    <div v-if="operation.scopes.length > 0">
      Needs the scopes <code class="mono">{{ operation.scopes.join(" ") }}</code>
    </div>
    <div v-if="operation.actsFor && operation.actsFor !== 'both'">
      Acts for
      {{ operation.actsFor === "person" ? "a person, who signs in" : "the application itself" }}
    </div>
    <div v-if="operation.keyPage">
      <a :href="operation.keyPage" target="_blank" rel="noreferrer">Where do I get a key for this?</a>
    </div>
    <div v-if="operation.idsFrom">
      Takes addresses such as <code class="mono">{{ operation.idsFrom.join(" or ") }}</code>
    </div>
    <div v-if="operation.was" class="dim">Was called {{ operation.was.join(", ") }}</div>
    <div v-for="content in operation.body?.content ?? []" :key="content.type">
      <h3>
        Body <span class="dim">{{ content.type }}{{ operation.body?.required ? ", required" : "" }}</span>
      </h3>
      <SchemaTable v-if="content.schema" :schema="content.schema" />
    </div>
    <div v-for="response in operation.responses" :key="response.status">
      <h3>
        {{ response.status }} <span class="dim">{{ response.about }}</span>
      </h3>
      <div v-for="content in response.content" :key="content.type">
        <span class="mono dim">{{ content.type }}</span>
        <SchemaTable v-if="content.schema" :schema="content.schema" />
      </div>
    </div>
    <div>
      <h3>Samples</h3>
      <p v-if="samples.length === 0" class="dim">No samples yet. Send a call and save its response.</p>
      <div v-for="sample in samples" :key="sample.name" class="sample">
        <div class="d-flex ga-3 align-center">
          <button
            type="button"
            :aria-expanded="openSample === sample.name"
            @click="openSample = openSample === sample.name ? '' : sample.name"
          >
            {{ openSample === sample.name ? "▾" : "▸" }} {{ sample.name }}
          </button>
          <span class="dim">{{ sample.status }}, {{ when(sample.at) }}, {{ sample.by }}</span>
          <v-spacer />
          <ConfirmRemove
            :title="`Remove the sample ${sample.name}`"
            short="Remove"
            small
            :consequences="['The editor and rehearsals do not show its values any more.']"
            @confirmed="remove(sample.name)"
          />
        </div>
        <BodyView v-if="openSample === sample.name" :body="sample.body" />
      </div>
    </div>
    <div v-if="operation.usedBy.length > 0">
      Used by
      <template v-for="(name, index) in operation.usedBy" :key="name"
        >{{ index > 0 ? ", " : "" }}<router-link :to="`/workflows/${name}`">{{ name }}</router-link></template
      >
    </div>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
  </div>
</template>

<style scoped>
.facts {
  display: grid;
  gap: 12px;
}
.facts > * {
  min-width: 0;
}
.about {
  white-space: pre-line;
}
</style>
