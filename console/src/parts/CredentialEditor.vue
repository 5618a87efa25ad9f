<script setup lang="ts">
import { routes, type CredentialDetail } from "@copper-kettle/contract";
import { computed, onMounted, reactive, ref, watch } from "vue";
import { api, fieldMessages, sentence } from "../api.js";
import { emptyForm, formOf, kinds, readCredential } from "../logic/credential-form.js";
import CertificateFields from "./CertificateFields.vue";
import OAuthFields from "./OAuthFields.vue";
import StaticFields from "./StaticFields.vue";

/** Without a credential the form makes a new one. */
const props = defineProps<{ credential?: CredentialDetail | undefined }>();
const emit = defineEmits<{ kept: [name: string, removed: string[]] }>();
const form = reactive(props.credential ? formOf(props.credential) : emptyForm());
const faults = ref<Record<string, string>>({});
const fault = ref("");
const busy = ref(false);
const redirectUri = ref("");
const more = ref(props.credential !== undefined);
const help = computed(() => kinds.find((kind) => kind.value === form.kind)?.help);
/** Whether there are secrets that stay when they are left blank. */
const kept = computed(() => props.credential?.kind === form.kind);

onMounted(async () => {
  redirectUri.value = await api.call(routes.redirectUri).then(
    (answer) => answer.redirectUri,
    () => "",
  );
});
watch(
  () => props.credential?.changedAt,
  () => {
    if (props.credential) Object.assign(form, formOf(props.credential));
  },
);

async function keep(): Promise<void> {
  const read = readCredential(form);
  faults.value = { ...read.faults, ...(form.name ? {} : { name: "A name is needed; steps refer to it." }) };
  fault.value = "";
  if (Object.keys(faults.value).length > 0) return;
  busy.value = true;
  try {
    const { removed } = await api.call(routes.putCredential, {
      params: { name: form.name },
      body: read.input,
    });
    const { name } = form;
    emit("kept", name, removed);
  } catch (error) {
    const messages = Object.entries(fieldMessages(error));
    // The fault of one entry of a list stands at the field that the list is typed into.
    faults.value = Object.fromEntries(
      messages.map(([field, message]) => [field.replace(/^(scopes|hosts)\.\d+$/, "$1"), message]),
    );
    if (messages.length === 0) fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="editor" novalidate @submit.prevent="keep">
    <v-text-field
      v-model="form.name"
      label="Name"
      placeholder="stays-key"
      hint="a-z, 0-9 and dashes; what steps name in using"
      :disabled="credential !== undefined"
      :error-messages="faults['name']"
      autocomplete="off"
    />
    <v-select v-model="form.kind" :items="kinds" label="Kind" :hint="help" />
    <OAuthFields
      v-if="form.kind === 'oauth2'"
      :model-value="form"
      :faults="faults"
      :kept="kept"
      :redirect-uri="credential?.redirectUri ? '' : redirectUri"
    />
    <CertificateFields
      v-else-if="form.kind === 'mutual-tls'"
      v-model="form.tls"
      :faults="faults"
      :kept="kept"
    />
    <StaticFields v-else :model-value="form" :faults="faults" :kept="kept" />
    <v-text-field
      v-model="form.hosts"
      label="Hosts that it may be sent to"
      placeholder="stays.example"
      hint="Empty: any host. With a port where it is not the usual one."
      :error-messages="faults['hosts']"
    />
    <div v-if="!more">
      <v-btn variant="text" size="small" @click="more = true">When it ends, who may use it …</v-btn>
    </div>
    <template v-else>
      <div class="pair">
        <v-text-field
          v-model="form.endsOn"
          type="date"
          label="The secret ends on"
          hint="Home warns 30, 7 and 1 days ahead."
          :error-messages="faults['endsOn']"
        />
        <v-text-field
          v-if="credential"
          v-model="form.overlap"
          label="The old secret still holds for"
          placeholder="24h"
          hint="The new one goes first."
          :error-messages="faults['overlap']"
        />
      </div>
      <div class="pair">
        <v-text-field
          v-model="form.mayUse"
          label="Who may use it"
          placeholder="everybody"
          hint="Names of access tokens"
        />
        <v-text-field
          v-model="form.mayChange"
          label="Who may change it"
          placeholder="everybody"
          hint="Names of access tokens"
        />
      </div>
    </template>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div><v-btn type="submit" color="primary" variant="flat" :loading="busy">Keep</v-btn></div>
  </form>
</template>

<style scoped>
.editor {
  display: grid;
  gap: 12px;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
@media (max-width: 700px) {
  .pair {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
