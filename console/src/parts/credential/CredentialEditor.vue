<script setup lang="ts">
import { credentialsRoutes, type CredentialDetail } from "@copper-kettle/contract";
import { computed, onMounted, reactive, ref, watch } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import { faultOfName } from "../../logic/names.js";
import { emptyForm, formOf, kinds, readCredential, sentPreview } from "../../logic/credential-form.js";
import { loginSecrets } from "../../logic/login-form.js";
import DateField from "../shared/DateField.vue";
import CertificateFields from "./CertificateFields.vue";
import LoginFields from "./LoginFields.vue";
import OAuthFields from "./OAuthFields.vue";
import StaticFields from "./StaticFields.vue";

/** Without a credential the form makes a new one. */
const props = defineProps<{ credential?: CredentialDetail | undefined }>();
const emit = defineEmits<{ saved: [name: string, removed: string[]]; cancelled: [] }>();
const form = reactive(props.credential ? formOf(props.credential) : emptyForm());
const faults = ref<Record<string, string>>({});
const fault = ref("");
const busy = ref(false);
const redirectUri = ref("");
const more = ref(props.credential !== undefined);
const help = computed(() => kinds.find((kind) => kind.value === form.kind)?.help);
const credentialNameFault = computed(() => (props.credential ? undefined : faultOfName(form.name)));
const preview = computed(() => sentPreview(form));
const sources = computed(() => props.credential?.sources ?? []);
/** Whether there are secrets that stay when they are left blank. */
const saved = computed(() => props.credential?.kind === form.kind);

forgetMended(faults, () => ({ ...form }), fault);
onMounted(async () => {
  redirectUri.value = await api.call(credentialsRoutes.redirectUri).then(
    (answer) => answer.redirectUri,
    () => "",
  );
});
// A login begins with the two secrets that most of them want.
watch(
  () => form.kind,
  (kind) => {
    if (kind === "login" && !props.credential) form.secrets = loginSecrets();
  },
);
watch(
  () => props.credential?.changedAt,
  () => {
    if (props.credential) Object.assign(form, formOf(props.credential));
  },
);

async function save(): Promise<void> {
  const read = readCredential(form);
  faults.value = {
    ...read.faults,
    ...(form.name ? {} : { name: "Give the credential a name. Steps refer to it." }),
    ...(credentialNameFault.value === undefined ? {} : { name: credentialNameFault.value }),
  };
  fault.value = "";
  if (Object.keys(faults.value).length > 0) return;
  busy.value = true;
  try {
    const { removed } = await api.call(credentialsRoutes.putCredential, {
      params: { name: form.name },
      body: read.input,
    });
    const { name } = form;
    emit("saved", name, removed);
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
  <form class="column" novalidate @submit.prevent="save">
    <v-text-field
      v-if="!credential"
      v-model="form.name"
      label="Name"
      placeholder="stays-key"
      hint="a-z, 0-9 and dashes. Steps name it in using."
      :error-messages="faults['name'] ?? credentialNameFault"
      autocomplete="off"
    />
    <v-select v-model="form.kind" :items="kinds" label="Kind" :hint="help" />
    <OAuthFields
      v-if="form.kind === 'oauth2'"
      :model-value="form"
      :faults="faults"
      :saved="saved"
      :redirect-uri="credential?.redirectUri ? '' : redirectUri"
    />
    <CertificateFields
      v-else-if="form.kind === 'mutual-tls'"
      v-model="form.tls"
      :faults="faults"
      :saved="saved"
    />
    <LoginFields v-else-if="form.kind === 'login'" :model-value="form" :faults="faults" :saved="saved" />
    <StaticFields v-else :model-value="form" :faults="faults" :saved="saved" />
    <dl v-if="preview.length > 0 || sources.length > 0" class="about-secret">
      <template v-if="preview.length > 0">
        <dt>Will send</dt>
        <dd v-for="line in preview" :key="line" class="mono">{{ line }}</dd>
      </template>
      <template v-for="source in sources" :key="source.api">
        <dt>{{ source.api }} says</dt>
        <dd>
          <template v-if="source.about">{{ source.about + " " }}</template>
          <a v-for="page in source.pages" :key="page" :href="page" target="_blank" rel="noreferrer"
            >Where do I get this?</a
          >
        </dd>
      </template>
    </dl>
    <v-text-field
      v-model="form.hosts"
      label="Hosts the credential may be sent to"
      placeholder="stays.example"
      :hint="
        form.kind === 'login'
          ? 'Where the token goes. Add the port if it is not the default one.'
          : 'Empty: any host. Add the port if it is not the default one.'
      "
      :error-messages="faults['hosts']"
    />
    <div v-if="!more">
      <v-btn variant="text" size="small" @click="more = true">Expiry and access</v-btn>
    </div>
    <template v-else>
      <div class="pair">
        <DateField
          v-model="form.endsOn"
          label="The secret expires on"
          hint="Home warns 30, 7 and 1 days before."
          :error-messages="faults['endsOn']"
        />
        <v-text-field
          v-if="credential"
          v-model="form.overlap"
          label="Accept the old secret for another"
          placeholder="24h"
          hint="The new secret is tried first."
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
    <div class="d-flex ga-2">
      <v-btn type="submit" color="primary" variant="flat" :loading="busy">Save</v-btn>
      <v-btn v-if="credential" @click="emit('cancelled')">Cancel</v-btn>
    </div>
  </form>
</template>

<style scoped>
.about-secret {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 2px 12px;
  font-size: 0.875rem;
}
.about-secret dd {
  grid-column: 2;
  overflow-wrap: anywhere;
}
.about-secret a {
  margin-right: 12px;
}
</style>
