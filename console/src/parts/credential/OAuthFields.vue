<script setup lang="ts">
import { computed, ref } from "vue";
import type { CredentialForm } from "../../logic/credential-form.js";
import { clientAuths, grants, oauthUses } from "../../logic/oauth-form.js";
import CertificateFields from "./CertificateFields.vue";
import CopyText from "../shared/CopyText.vue";
import SecretField from "../shared/SecretField.vue";

const props = defineProps<{ faults: Record<string, string>; saved: boolean; redirectUri: string }>();
const form = defineModel<CredentialForm>({ required: true });
const uses = computed(() => oauthUses(form.value.oauth));
/** What few need is folded until it is asked for, holds something, or is wrong. */
const asked = ref(false);
const endpoints = computed(
  () =>
    asked.value ||
    form.value.oauth.issuer === "" ||
    [form.value.oauth.tokenUrl, form.value.oauth.authorizationUrl].some(Boolean) ||
    ["tokenUrl", "authorizationUrl"].some((field) => props.faults[field]),
);
const seldom = computed(() => {
  const { audience, resource, parameters, authorizationParameters } = form.value.oauth;
  return (
    asked.value ||
    [audience, resource, parameters, authorizationParameters].some(Boolean) ||
    ["parameters", "authorizationParameters"].some((field) => props.faults[field])
  );
});
const grant = computed(() => grants.find(({ value }) => value === form.value.oauth.grant));
</script>

<template>
  <div class="column">
    <v-select v-model="form.oauth.grant" :items="grants" label="Grant" :hint="grant?.help ?? ''" />
    <v-alert v-if="uses.signIn && redirectUri" type="info">
      <p class="mb-1">First register this redirect URI with the authorization server, exactly as shown.</p>
      <CopyText :text="redirectUri" label="Redirect URI" />
    </v-alert>
    <v-alert v-if="uses.person" type="warning">
      Legacy: this stores a person's own password. It stops working when they change it.
    </v-alert>
    <v-text-field
      v-model="form.oauth.issuer"
      label="Issuer"
      placeholder="https://identity.example"
      :hint="`Its metadata names the endpoints.${endpoints ? ' Without an issuer, enter them below.' : ''}`"
      :error-messages="faults['issuer']"
    />
    <v-text-field
      v-if="endpoints"
      v-model="form.oauth.tokenUrl"
      label="Token URL (if the issuer has no metadata)"
      :error-messages="faults['tokenUrl']"
    />
    <v-text-field
      v-if="endpoints && uses.signIn"
      v-model="form.oauth.authorizationUrl"
      label="Authorization URL (if the issuer has no metadata)"
      :error-messages="faults['authorizationUrl']"
    />
    <v-text-field
      v-model="form.oauth.clientId"
      label="Client id"
      autocomplete="off"
      :error-messages="faults['clientId']"
    />
    <v-select v-model="form.oauth.clientAuth" :items="clientAuths" label="Client authentication" />
    <SecretField
      v-if="uses.secret"
      v-model="form.oauth.clientSecret"
      label="Client secret"
      :saved="saved"
      :error-messages="faults['clientSecret']"
    />
    <CertificateFields v-if="uses.certificate" v-model="form.tls" :faults="faults" :saved="saved" />
    <v-text-field
      v-if="uses.keyId"
      v-model="form.oauth.keyId"
      label="Key id (kid), if the server expects one"
    />
    <div v-if="uses.person" class="pair">
      <v-text-field v-model="form.user" label="User" autocomplete="off" />
      <SecretField
        v-model="form.password"
        label="Password"
        :saved="saved"
        :error-messages="faults['password']"
      />
    </div>
    <SecretField
      v-if="uses.refreshToken"
      v-model="form.oauth.refreshToken"
      label="Refresh token"
      :saved="saved"
      :error-messages="faults['refreshToken']"
    />
    <v-text-field v-if="uses.subject" v-model="form.oauth.subject" label="Subject (who the token is for)" />
    <v-text-field
      v-model="form.oauth.scopes"
      label="Scopes, separated by spaces"
      placeholder="staff:read staff:write"
      :error-messages="faults['scopes']"
    />
    <div v-if="!seldom || !endpoints">
      <v-btn variant="text" size="small" @click="asked = true">Endpoints, audience, more parameters</v-btn>
    </div>
    <div v-if="seldom" class="pair">
      <v-text-field v-model="form.oauth.audience" label="Audience" />
      <v-text-field v-model="form.oauth.resource" label="Resource (RFC 8707)" />
    </div>
    <v-textarea
      v-if="seldom"
      v-model="form.oauth.parameters"
      class="mono"
      label="More parameters of the token request, one name=value per line"
      rows="1"
      auto-grow
      :error-messages="faults['parameters']"
    />
    <v-textarea
      v-if="seldom && uses.signIn"
      v-model="form.oauth.authorizationParameters"
      class="mono"
      label="More parameters of the authorization request, one name=value per line"
      rows="1"
      auto-grow
      :error-messages="faults['authorizationParameters']"
    />
  </div>
</template>
