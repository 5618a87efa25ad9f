<script setup lang="ts">
import { rememberedRoutes, type OutputOf } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";
import ConfirmRemove from "../shared/ConfirmRemove.vue";
import JsonTree from "../shared/JsonTree.vue";

/** What a workflow keeps from run to run. */
const props = defineProps<{ workflow: string }>();
const remembered = ref<OutputOf<typeof rememberedRoutes.remembered>["remembered"]>();
const fault = ref("");

async function load(): Promise<void> {
  try {
    remembered.value = (
      await api.call(rememberedRoutes.remembered, { params: { name: props.workflow } })
    ).remembered;
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function forget(key: string): Promise<void> {
  try {
    await api.call(rememberedRoutes.forgetRemembered, { params: { name: props.workflow }, query: { key } });
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
    <p v-if="remembered?.length === 0" class="dim">
      Nothing remembered yet. A <span class="mono">remember</span> step stores values between runs.
      <span class="mono">remembered(…)</span> reads them.
    </p>
    <table v-else-if="remembered" class="lines" aria-label="Remembered values">
      <thead>
        <tr>
          <th>Key</th>
          <th>Values</th>
          <th>Changed</th>
          <th>Expires</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="one in remembered" :key="one.key">
          <td class="mono">{{ one.key }}</td>
          <td><JsonTree :value="one.values" /></td>
          <td class="text-no-wrap">{{ when(one.changedAt) }}</td>
          <td class="text-no-wrap">{{ one.expires ? when(one.expires) : "never" }}</td>
          <td class="text-right">
            <ConfirmRemove
              :title="`Forget ${one.key}`"
              short="Forget"
              small
              :consequences="[
                'Its values are deleted for good. To the next run there is nothing under this key.',
              ]"
              @confirmed="forget(one.key)"
            />
          </td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
