<script setup lang="ts">
import { computed } from "vue";
import type { CredentialForm } from "../logic/credential-form.js";
import { clientAuths, grants, oauthUses } from "../logic/oauth-form.js";
import CertificateFields from "./CertificateFields.vue";
import CopyText from "./CopyText.vue";
import SecretField from "./SecretField.vue";

defineProps<{ faults: Record<string, string>; kept: boolean; redirectUri: string }>();
const form = defineModel<CredentialForm>({ required: true });
const uses = computed(() => oauthUses(form.value.oauth));
const grant = computed(() => grants.find(({ value }) => value === form.value.oauth.grant));
</script>

<template>
  <div class="fields">
    <v-select v-model="form.oauth.grant" :items="grants" label="Grant" :hint="grant?.help ?? ''" />
    <v-alert v-if="uses.signIn && redirectUri" type="info">
      <p class="mb-1">First: register this redirect URI on the other side, exactly as it stands here.</p>
      <CopyText :text="redirectUri" label="Redirect URI" />
    </v-alert>
    <v-alert v-if="uses.person" type="warning">
      Legacy: a person's own password is kept here, and stops working when they change it.
    </v-alert>
    <v-text-field
      v-model="form.oauth.issuer"
      label="Issuer"
      placeholder="https://identity.example"
      hint="Its metadata names the endpoints. Without it, give them below."
      :error-messages="faults['issuer']"
    />
    <v-text-field
      v-model="form.oauth.tokenUrl"
      label="Token endpoint, where there is no metadata"
      :error-messages="faults['tokenUrl']"
    />
    <v-text-field
      v-if="uses.signIn"
      v-model="form.oauth.authorizationUrl"
      label="Authorization endpoint, where there is no metadata"
      :error-messages="faults['authorizationUrl']"
    />
    <div class="pair">
      <v-text-field
        v-model="form.oauth.clientId"
        label="Client id"
        autocomplete="off"
        :error-messages="faults['clientId']"
      />
      <v-select v-model="form.oauth.clientAuth" :items="clientAuths" label="Client authentication" />
    </div>
    <SecretField
      v-if="uses.secret"
      v-model="form.oauth.clientSecret"
      label="Client secret"
      :kept="kept"
      :error-messages="faults['clientSecret']"
    />
    <CertificateFields v-if="uses.certificate" v-model="form.tls" :faults="faults" :kept="kept" />
    <v-text-field
      v-if="uses.keyId"
      v-model="form.oauth.keyId"
      label="Key id (kid), where the other side wants one"
    />
    <div v-if="uses.person" class="pair">
      <v-text-field v-model="form.user" label="User" autocomplete="off" />
      <SecretField
        v-model="form.password"
        label="Password"
        :kept="kept"
        :error-messages="faults['password']"
      />
    </div>
    <SecretField
      v-if="uses.refreshToken"
      v-model="form.oauth.refreshToken"
      label="Refresh token"
      :kept="kept"
      :error-messages="faults['refreshToken']"
    />
    <v-text-field v-if="uses.subject" v-model="form.oauth.subject" label="Subject: for whom the token is" />
    <v-text-field
      v-model="form.oauth.scopes"
      label="Scopes, with spaces between"
      placeholder="staff:read staff:write"
      :error-messages="faults['scopes']"
    />
    <div class="pair">
      <v-text-field v-model="form.oauth.audience" label="Audience" />
      <v-text-field v-model="form.oauth.resource" label="Resource (RFC 8707)" />
    </div>
    <v-textarea
      v-model="form.oauth.parameters"
      class="mono"
      label="Further parameters of the token request, one name=value a line"
      rows="1"
      auto-grow
      :error-messages="faults['parameters']"
    />
    <v-textarea
      v-if="uses.signIn"
      v-model="form.oauth.authorizationParameters"
      class="mono"
      label="Further parameters of the authorization request, one name=value a line"
      rows="1"
      auto-grow
      :error-messages="faults['authorizationParameters']"
    />
  </div>
</template>

<style scoped>
.fields {
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
