<script setup lang="ts">
import { constantsRoutes } from "@copper-kettle/contract";
import { parseJson, printJson, type Json, type JsonObject } from "@copper-kettle/core";
import { onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import ConfirmRemove from "../shared/ConfirmRemove.vue";

/** Named values that every workflow may read. */
const constants = ref<JsonObject>({});
const name = ref("");
const value = ref("");
const faults = ref<Record<string, string>>({});
const fault = ref("");

forgetMended(faults, () => ({ name: name.value, value: value.value }), fault);
async function act(work: () => Promise<unknown>): Promise<boolean> {
  fault.value = "";
  faults.value = {};
  try {
    await work();
    constants.value = (await api.call(constantsRoutes.constants)).constants as JsonObject;
    return true;
  } catch (error) {
    faults.value = fieldMessages(error);
    fault.value = sentence(error);
    return false;
  }
}
onMounted(() => act(async () => undefined));

async function put(): Promise<void> {
  let read: Json;
  try {
    read = parseJson(value.value);
  } catch {
    read = value.value; // a plain text needs no quotes
  }
  const params = { name: name.value.trim() };
  if (await act(() => api.call(constantsRoutes.putConstant, { params, body: { value: read } })))
    [name.value, value.value] = ["", ""];
}
const remove = (gone: string): Promise<boolean> =>
  act(() => api.call(constantsRoutes.removeConstant, { params: { name: gone } }));
</script>

<template>
  <v-card class="pa-4 card">
    <h2>Constants</h2>
    <table class="lines" aria-label="Constants">
      <tbody>
        <tr v-for="(one, key) in constants" :key="key">
          <td class="mono">{{ key }}</td>
          <td class="mono value">{{ printJson(one) }}</td>
          <td class="text-right">
            <ConfirmRemove
              :title="`Remove ${key}`"
              short="Remove"
              small
              :consequences="[`Expressions that read constants.${key} fail from now on.`]"
              @confirmed="remove(String(key))"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <form class="adding" @submit.prevent="put">
      <v-text-field
        v-model="name"
        label="Name"
        class="mono"
        autocomplete="off"
        :error-messages="faults['name']"
        hide-details="auto"
      />
      <v-text-field
        v-model="value"
        label="Value (JSON, or a plain text)"
        class="mono"
        autocomplete="off"
        hide-details="auto"
      />
      <v-btn type="submit" :disabled="!name.trim()">Set</v-btn>
    </form>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
  </v-card>
</template>

<style scoped>
.card {
  display: grid;
  gap: 10px;
}
.value {
  overflow-wrap: anywhere;
}
.adding {
  display: grid;
  grid-template-columns: 1fr 2fr auto;
  gap: 10px;
  align-items: end;
}
</style>
