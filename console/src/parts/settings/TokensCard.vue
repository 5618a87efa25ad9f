<script setup lang="ts">
import { tokensRoutes, type OutputOf } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { faultOfName } from "../../logic/names.js";
import ConfirmRemove from "../shared/ConfirmRemove.vue";
import CopyText from "../shared/CopyText.vue";
import TimeText from "../shared/TimeText.vue";

/** The access tokens by which programs call the service. A token itself is shown once, when it is made. */
const tokens = ref<OutputOf<typeof tokensRoutes.listTokens>["tokens"]>();
const name = ref("");
const made = ref<{ name: string; token: string }>();
const faults = ref<Record<string, string>>({});
const fault = ref("");

async function act(work: () => Promise<unknown>): Promise<void> {
  fault.value = "";
  faults.value = {};
  try {
    await work();
    tokens.value = (await api.call(tokensRoutes.listTokens)).tokens;
  } catch (error) {
    faults.value = fieldMessages(error);
    if (Object.keys(faults.value).length === 0) fault.value = sentence(error);
  }
}
onMounted(() => act(async () => undefined));
const create = (): Promise<void> =>
  act(async () => {
    made.value = await api.call(tokensRoutes.createToken, { body: { name: name.value.trim() } });
    name.value = "";
  });
const remove = (gone: string): Promise<void> =>
  act(() => api.call(tokensRoutes.removeToken, { params: { name: gone } }));
</script>

<template>
  <v-card class="pa-4 column">
    <p class="dim">
      A program that calls the service sends <span class="mono">Authorization: Bearer TOKEN</span>. The
      owner's token lies in the data folder.
    </p>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert
      v-if="made"
      type="success"
      :title="`The token ${made.name} is made`"
      closable
      @click:close="made = undefined"
    >
      It is shown this once.
      <CopyText :text="made.token" label="Access token" />
    </v-alert>
    <table v-if="tokens && tokens.length > 0" class="lines" aria-label="Access tokens">
      <thead>
        <tr>
          <th>Name</th>
          <th>Made</th>
          <th></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="token in tokens" :key="token.name">
          <td class="mono">{{ token.name }}</td>
          <td><TimeText :at="token.createdAt" /></td>
          <td class="text-right">
            <ConfirmRemove
              :title="`Revoke ${token.name}`"
              short="Revoke"
              small
              :consequences="['Programs that send it are refused from now on.']"
              @confirmed="remove(token.name)"
            />
          </td>
        </tr>
      </tbody>
    </table>
    <form class="adding" @submit.prevent="create">
      <v-text-field
        v-model="name"
        label="Name of the program"
        autocomplete="off"
        :error-messages="faults['name'] ?? faultOfName(name)"
        @update:model-value="faults = {}"
      />
      <v-btn type="submit" :disabled="!name.trim() || faultOfName(name) !== undefined">Make a token</v-btn>
    </form>
  </v-card>
</template>

<style scoped>
.adding {
  display: grid;
  grid-template-columns: minmax(0, 360px) auto;
  gap: 10px;
  align-items: start;
  justify-content: start;
}
</style>
