<script setup lang="ts">
import { grantsRoutes, type Grant } from "@copper-kettle/contract";
import { onMounted, ref, watch } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";

/** What the published version of a workflow may use, and who gave it; the owner may withdraw it. */
const props = defineProps<{ name: string; version: number | null }>();
const grants = ref<Grant[]>([]);
const fault = ref("");
const asked = ref("");
const keyOf = ({ kind, name }: Grant): string => `${kind}:${name}`;

async function load(): Promise<void> {
  try {
    ({ grants: grants.value } = await api.call(grantsRoutes.listGrants, { params: { name: props.name } }));
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function withdraw(grant: Grant): Promise<void> {
  if (asked.value !== keyOf(grant)) {
    asked.value = keyOf(grant);
    return;
  }
  asked.value = "";
  try {
    const { kind, name } = grant;
    await api.call(grantsRoutes.withdrawGrant, { params: { name: props.name }, body: { kind, name } });
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
watch(() => props.version, load);
</script>

<template>
  <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
  <template v-if="version !== null && grants.length > 0">
    <h3 class="text-subtitle-1">What version {{ version }} may use</h3>
    <table class="lines" aria-label="Grants">
      <tbody>
        <tr v-for="grant in grants" :key="keyOf(grant)">
          <td>{{ grant.kind }}</td>
          <td class="mono">{{ grant.name }}</td>
          <td>given by {{ grant.givenBy }}</td>
          <td class="text-no-wrap">{{ when(grant.givenAt) }}</td>
          <td class="text-right">
            <span v-if="grant.withdrawnBy !== null" class="dim">withdrawn by {{ grant.withdrawnBy }}</span>
            <v-btn v-else size="small" variant="text" @click="withdraw(grant)">{{
              asked === keyOf(grant) ? "Withdraw it? Runs fail at it from now on" : "Withdraw"
            }}</v-btn>
          </td>
        </tr>
      </tbody>
    </table>
  </template>
</template>
