<script setup lang="ts">
import { apisRoutes, operationsRoutes, type ApiDetail, type OperationDetail } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../api.js";
import CopyText from "../parts/shared/CopyText.vue";
import MethodMark from "../parts/shared/MethodMark.vue";
import OperationEditor from "../parts/api/OperationEditor.vue";
import OperationFacts from "../parts/api/OperationFacts.vue";
import TryPane from "../parts/api/TryPane.vue";
import PageHead from "../parts/shared/PageHead.vue";

const props = defineProps<{ name: string; id: string }>();
const router = useRouter();
const about = ref<ApiDetail>();
const operation = ref<OperationDetail>();
const fault = ref("");
const tab = ref("facts");
const renewed = ref(0);
/** How often the operation was changed by hand: what was tried before is then of another one. */
const edited = ref(0);

async function load(): Promise<void> {
  try {
    const [one, two] = await Promise.all([
      api.call(apisRoutes.api, { params: { name: props.name } }),
      api.call(operationsRoutes.operation, { params: { name: props.name, id: props.id } }),
    ]);
    about.value = one;
    operation.value = two;
    renewed.value++;
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
async function saved(id: string): Promise<void> {
  if (id !== props.id) return void (await router.replace(`/apis/${props.name}/${id}`));
  tab.value = "facts";
  await load();
  edited.value++;
}
</script>

<template>
  <div class="page">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!operation && !fault" indeterminate />
    <template v-if="operation && about">
      <PageHead
        times
        help="apis"
        :title="operation.title"
        :name="`${name}.${operation.id}`"
        :tab="`${name}.${operation.id}`"
        :up="[
          { title: 'APIs', to: '/apis' },
          { title: about.title, to: `/apis/${name}` },
        ]"
      >
        <MethodMark :method="operation.method" />
        <span class="mono dim">{{ operation.path }}</span>
        <span class="dim">{{ operation.effect }}</span>
        <span v-if="operation.deprecated" class="text-warning">deprecated</span>
      </PageHead>
      <div class="two">
        <v-card>
          <v-tabs v-model="tab" density="compact">
            <v-tab value="facts">Description</v-tab>
            <v-tab value="edit">Change</v-tab>
          </v-tabs>
          <div class="pa-4">
            <div class="d-flex ga-2 align-center mb-3">
              <span class="dim">In a workflow:</span
              ><CopyText :text="`operation: ${name}.${operation.id}`" label="In a file" />
            </div>
            <OperationFacts
              v-if="tab === 'facts'"
              :api-name="name"
              :operation="operation"
              :renewed="renewed"
            />
            <OperationEditor
              v-else
              :id="operation.id"
              :key="renewed"
              :api-name="name"
              :used-by="operation.usedBy"
              @saved="saved"
              @removed="router.push(`/apis/${name}`)"
            />
          </div>
        </v-card>
        <v-card class="pa-4">
          <h2 class="mb-3">Try</h2>
          <TryPane
            :key="`${operation.method} ${operation.path} ${edited}`"
            :api-name="name"
            :operation="operation"
            :credential="about.credential"
            @saved="load"
          />
        </v-card>
      </div>
    </template>
  </div>
</template>
