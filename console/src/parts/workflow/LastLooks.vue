<script setup lang="ts">
import { triggersRoutes } from "@copper-kettle/contract";
import { onMounted, ref, shallowRef } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";
import JsonTree from "../shared/JsonTree.vue";

/** The last looks of a poll: what each sent, and what came back. */
const props = defineProps<{ workflow: string; trigger: string }>();

/** An entry of a look, as the journal of a run has them. */
interface LookEntry {
  type: string;
  data?: { request?: { method: string; url: string } };
  response?: { status: number };
  failure?: { message: string };
  items?: unknown[];
}

const looks = shallowRef<{ at: string; entries: unknown[] }[]>();
const fault = ref("");

onMounted(async () => {
  const params = { name: props.workflow, trigger: props.trigger };
  try {
    looks.value = (await api.call(triggersRoutes.listLooks, { params })).looks;
  } catch (error) {
    fault.value = sentence(error);
  }
});

function exchangesOf(entries: unknown[]): { line: string; response: unknown }[] {
  const all = entries as LookEntry[];
  const { method = "", url = "" } = all.find(({ type }) => type === "begun")?.data?.request ?? {};
  return all
    .filter(({ type }) => type === "attempt")
    .map(({ response, failure, items }, index) => ({
      line: `${index === 0 ? `${method} ${url}` : "and on"}: ${response?.status ?? failure?.message ?? ""}`,
      response: items ? { ...response, items } : (response ?? null),
    }));
}
</script>

<template>
  <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
  <ul v-else-if="looks" class="list" :aria-label="`Last looks of ${trigger}`">
    <li v-if="looks.length === 0" class="dim">It has not looked yet.</li>
    <li v-for="(look, index) in looks" :key="look.at">
      <span>{{ when(look.at) }}</span>
      <div v-for="(one, at) in exchangesOf(look.entries)" :key="at">
        <span class="mono">{{ one.line }}</span>
        <JsonTree :value="one.response" :open-to="index === 0 ? 1 : 0" />
      </div>
    </li>
  </ul>
</template>

<style scoped>
.list {
  list-style: none;
  padding: 0;
}
</style>
