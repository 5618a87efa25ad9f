<script setup lang="ts">
import { routes, type OutputOf } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { when } from "../logic/format.js";
import JsonTree from "./JsonTree.vue";

/** What a workflow keeps from run to run. */
const props = defineProps<{ workflow: string }>();
const kept = ref<OutputOf<typeof routes.kept>["kept"]>();
const fault = ref("");

async function load(): Promise<void> {
  try {
    kept.value = (await api.call(routes.kept, { params: { name: props.workflow } })).kept;
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function forget(key: string): Promise<void> {
  try {
    await api.call(routes.forgetKept, { params: { name: props.workflow }, query: { key } });
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
</script>

<template>
  <section>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <p v-if="kept?.length === 0" class="dim">
      It keeps nothing. A <span class="mono">keep</span> step keeps values from run to run, and
      <span class="mono">kept(…)</span> reads them.
    </p>
    <table v-else-if="kept" class="lines" aria-label="Kept values">
      <thead>
        <tr>
          <th>Key</th>
          <th>Values</th>
          <th>Changed</th>
          <th>Ends</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in kept" :key="one.key">
          <td class="mono">{{ one.key }}</td>
          <td><JsonTree :value="one.values" /></td>
          <td class="text-no-wrap">{{ when(one.changedAt) }}</td>
          <td class="text-no-wrap">{{ one.expires ? when(one.expires) : "never" }}</td>
          <td class="text-right">
            <v-btn size="small" variant="text" :aria-label="`Forget ${one.key}`" @click="forget(one.key)"
              >Forget</v-btn
            >
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
