<script setup lang="ts">
import { workflowsRoutes, type OutputOf } from "@copper-kettle/contract";
import { onMounted, ref, shallowRef } from "vue";
import { api, sentence } from "../../api.js";
import CopyText from "../shared/CopyText.vue";

/** How another program starts runs of a workflow: ready calls, by each of its webhooks and by the API. */
type Way = OutputOf<typeof workflowsRoutes.describeWorkflow>["ways"][number];
const props = defineProps<{ workflow: string }>();
const ways = shallowRef<Way[]>([]);
const fault = ref("");

onMounted(async () => {
  try {
    ways.value = (
      await api.call(workflowsRoutes.describeWorkflow, { params: { name: props.workflow } })
    ).ways;
  } catch (error) {
    fault.value = sentence(error);
  }
});
</script>

<template>
  <section class="ways" aria-label="For other programs">
    <p v-if="fault" role="alert">{{ fault }}</p>
    <article v-for="way in ways" :key="way.trigger ?? ''">
      <h4>{{ way.trigger === null ? "By the API of the service" : `By the webhook ${way.trigger}` }}</h4>
      <p class="dim">{{ way.proof }} It gets: {{ way.response }}</p>
      <template v-for="kind in ['curl', 'fetch'] as const" :key="kind">
        <div class="head">
          <strong>{{ kind }}</strong>
          <CopyText :text="way[kind]" :label="kind" hidden-text />
        </div>
        <pre class="mono">{{ way[kind] }}</pre>
      </template>
    </article>
    <p v-if="ways.length > 0" class="dim">
      The variables SECRET (a secret, key or token), LOGIN (user:password) and ADDRESS (the last part of an
      address) come from the program's environment.
    </p>
  </section>
</template>

<style scoped>
.ways {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
}
h4,
p {
  margin: 0;
}
.head {
  display: flex;
  align-items: center;
  gap: 10px;
  margin-top: 6px;
}
pre {
  overflow: auto;
  max-height: 240px;
  padding: 8px 10px;
  border: 1px solid var(--line);
  border-radius: 4px;
}
</style>
