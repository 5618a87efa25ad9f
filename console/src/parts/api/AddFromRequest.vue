<script setup lang="ts">
import { operationsRoutes, triesRoutes, type TryResult, type Understood } from "@copper-kettle/contract";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import TryResultView from "./TryResultView.vue";
import UnderstoodView from "./UnderstoodView.vue";

/** A pasted request: tried as it is, and added as an operation. */
const props = defineProps<{ text: string; pasted: Understood; name: string; known: boolean }>();
const router = useRouter();
const id = ref("");
const title = ref("");
const credential = ref("");
const placeholders = ref<Record<string, string>>({});
const result = ref<TryResult>();
const fault = ref("");
const faults = ref<Record<string, string>>({});
const busy = ref("");
const asking = ref(false);
watch(
  () => props.pasted,
  (pasted) => {
    placeholders.value = Object.fromEntries(pasted.variable.map((one) => [String(one.index), one.name]));
    result.value = undefined;
    asking.value = false;
  },
  { immediate: true },
);
forgetMended(faults, () => ({ id: id.value, title: title.value, credential: credential.value }), fault);
const suggested = computed(() => props.pasted.id);

async function act(what: string, work: () => Promise<void>): Promise<void> {
  busy.value = what;
  fault.value = "";
  faults.value = {};
  try {
    await work();
  } catch (error) {
    faults.value = fieldMessages(error);
    fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
async function tryIt(): Promise<void> {
  if (props.pasted.effect !== "reads" && !asking.value) return void (asking.value = true);
  asking.value = false;
  await act("try", async () => {
    result.value = await api.call(triesRoutes.tryOperation, { body: { pasted: props.text } });
  });
}
const add = (): Promise<void> =>
  act("add", async () => {
    const made = await api.call(operationsRoutes.addOperation, {
      params: { name: props.name },
      body: {
        text: props.text,
        placeholders: placeholders.value,
        ...(id.value ? { id: id.value } : {}),
        ...(title.value ? { title: title.value } : {}),
        ...(credential.value ? { credential: credential.value } : {}),
      },
    });
    await router.push(`/apis/${props.name}/${made.id}`);
  });
</script>

<template>
  <div class="from">
    <UnderstoodView v-model:placeholders="placeholders" :pasted="pasted" />
    <div class="pair">
      <v-text-field
        v-model="id"
        label="Id of the operation"
        :placeholder="suggested"
        persistent-placeholder
        class="mono"
        autocomplete="off"
        :error-messages="faults['id']"
      />
      <v-text-field
        v-model="title"
        label="Title"
        placeholder="as people call it"
        persistent-placeholder
        autocomplete="off"
      />
    </div>
    <v-text-field
      v-if="pasted.secret"
      v-model="credential"
      label="Save the key as a credential named"
      :placeholder="`${name || 'name'}-key`"
      hint="Leave empty to discard the key."
      autocomplete="off"
      :error-messages="faults['credential']"
    />
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert v-if="asking" type="warning">
      This call writes: {{ pasted.method }} {{ pasted.path }} is sent for real.
      <div class="d-flex ga-2 mt-2">
        <v-btn color="warning" variant="flat" size="small" @click="tryIt">Send</v-btn>
        <v-btn size="small" @click="asking = false">Cancel</v-btn>
      </div>
    </v-alert>
    <div class="d-flex ga-2">
      <v-btn :loading="busy === 'try'" @click="tryIt">Send now</v-btn>
      <v-btn color="primary" variant="flat" :disabled="name === ''" :loading="busy === 'add'" @click="add">{{
        known ? `Add it to ${name}` : "Make the API of it"
      }}</v-btn>
      <span v-if="name === ''" class="dim align-self-center">Give the API a name.</span>
    </div>
    <TryResultView v-if="result" :result="result" />
  </div>
</template>

<style scoped>
.from {
  display: grid;
  gap: 12px;
}
</style>
