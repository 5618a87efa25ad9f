<script setup lang="ts">
import { credentialsRoutes, type CredentialDetail, type OutputOf } from "@copper-kettle/contract";
import { computed, ref, watch } from "vue";
import { api, sentence } from "../../api.js";
import ConfirmRemove from "../shared/ConfirmRemove.vue";
import CopyText from "../shared/CopyText.vue";

const props = defineProps<{
  credential: CredentialDetail;
  /** Whether a form stands beside it, with a button of its own that comes first. */
  beside?: boolean;
}>();
const emit = defineEmits<{ changed: [notice: string]; removed: [] }>();
const address = ref("");
const busy = ref("");
const fault = ref("");
const result = ref<OutputOf<typeof credentialsRoutes.checkCredential>>();
const sheet = ref("");
const named = computed(() => ({ params: { name: props.credential.name } }));
const oauth = computed(() => props.credential.kind === "oauth2");
const asksToken = computed(() => oauth.value || props.credential.kind === "login");

const consequences = computed(() => {
  const { name, usedBy } = props.credential;
  const users =
    usedBy.length > 0
      ? `Calls of ${usedBy.join(", ")} use it. They fail until there is a credential with this name again.`
      : "No workflow uses this credential.";
  return [`The secret of ${name} is deleted for good. It cannot be restored.`, users];
});
watch(
  () => props.credential.changedAt,
  () => (result.value = undefined),
);

/** Does one thing, shows that it is under way, and what came of it. */
async function act(what: string, work: () => Promise<unknown>): Promise<void> {
  busy.value = what;
  fault.value = "";
  try {
    await work();
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
const check = () =>
  act("check", async () => {
    const body = address.value ? { url: address.value } : {};
    result.value = await api.call(credentialsRoutes.checkCredential, { ...named.value, body });
    emit("changed", "");
  });
const signIn = () =>
  act("sign-in", async () => {
    window.location.assign((await api.call(credentialsRoutes.signInCredential, named.value)).url);
  });
const showSheet = () =>
  act("sheet", async () => {
    sheet.value = sheet.value ? "" : (await api.call(credentialsRoutes.requestSheet, named.value)).markdown;
  });
const forget = () =>
  act("forget", async () => {
    await api.call(credentialsRoutes.forgetToken, named.value);
    emit("changed", "The tokens are deleted.");
  });
const remove = () =>
  act("remove", async () => {
    await api.call(credentialsRoutes.removeCredential, named.value);
    emit("removed");
  });
</script>

<template>
  <v-card class="pa-4 column">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div class="check">
      <v-text-field
        v-model="address"
        :label="
          asksToken
            ? 'An address that wants it (empty: only ask for a token)'
            : 'An address that wants this credential'
        "
        placeholder="https://stays.example/guests"
        @keydown.enter="check"
      />
      <v-btn :loading="busy === 'check'" :disabled="!address && !asksToken" @click="check">Check now</v-btn>
    </div>
    <v-alert v-if="result" :type="result.ok ? 'success' : 'warning'">{{ result.sentence }}</v-alert>
    <div class="buttons">
      <v-btn
        v-if="credential.redirectUri"
        :color="beside ? undefined : 'primary'"
        :variant="beside ? 'outlined' : 'flat'"
        :loading="busy === 'sign-in'"
        :disabled="credential.state === 'incomplete'"
        @click="signIn"
        >{{ credential.token ? "Sign in again" : "Sign in" }}</v-btn
      >
      <v-btn v-if="oauth" :loading="busy === 'sheet'" @click="showSheet">{{
        sheet ? "Hide the request sheet" : "Request sheet"
      }}</v-btn>
      <ConfirmRemove
        v-if="credential.token"
        title="Delete token"
        :consequences="[
          credential.redirectUri
            ? 'Calls with this credential wait until somebody signs in again.'
            : 'The next call asks for a new token.',
        ]"
        :busy="busy === 'forget'"
        @confirmed="forget"
      />
      <ConfirmRemove
        title="Remove credential"
        short="Remove"
        :consequences="consequences"
        :busy="busy === 'remove'"
        @confirmed="remove"
      />
    </div>
    <div v-if="sheet">
      <p class="dim mb-1">For the administrator of the API:</p>
      <pre class="mono sheet">{{ sheet }}</pre>
      <CopyText :text="sheet" label="Request sheet" hidden-text />
    </div>
  </v-card>
</template>

<style scoped>
.check {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
  align-items: end;
}
.buttons {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
.sheet {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  max-height: 22rem;
  overflow: auto;
  padding: 8px;
  margin-bottom: 8px;
  background: var(--soft);
}
@media (max-width: 900px) {
  .check {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
