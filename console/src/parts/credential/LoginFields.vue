<script setup lang="ts">
import type { CredentialForm } from "../../logic/credential-form.js";
import NamedSecrets from "./NamedSecrets.vue";

defineProps<{ faults: Record<string, string>; saved: boolean }>();
const form = defineModel<CredentialForm>({ required: true });
const bodies = [
  { value: "json", title: "JSON" },
  { value: "form", title: "form (as JSON here)" },
  { value: "text", title: "text" },
  { value: "none", title: "none" },
];
const sources = [
  { value: "token", title: "in the response" },
  { value: "cookie", title: "a cookie that it sets" },
];
const places = [
  { value: "bearer", title: "Authorization: Bearer" },
  { value: "header", title: "header" },
  { value: "query", title: "query" },
  { value: "cookie", title: "cookie" },
];
</script>

<template>
  <div class="column">
    <NamedSecrets v-model="form.secrets" :faults="faults" :saved="saved" />
    <v-text-field
      v-model="form.login.request"
      class="mono"
      label="Login request"
      placeholder="POST https://depot.example/session"
      hint="Method and URL. Only TLS, or this machine."
      :error-messages="faults['scheme.request']"
      autocomplete="off"
    />
    <v-textarea
      v-model="form.login.headers"
      class="mono"
      label="Its headers, one per line"
      rows="1"
      auto-grow
      :error-messages="faults['scheme.headers']"
    />
    <v-select v-model="form.login.bodyKind" :items="bodies" label="Its body" />
    <v-textarea
      v-if="form.login.bodyKind !== 'none'"
      v-model="form.login.body"
      class="mono"
      label="Body, with ${secret.NAME}"
      rows="2"
      auto-grow
      :error-messages="faults['scheme.body']"
    />
    <div class="pair">
      <v-select v-model="form.login.from" :items="sources" label="The token is" />
      <v-text-field
        v-model="form.login.token"
        class="mono"
        :label="form.login.from === 'token' ? 'Token' : 'Cookie'"
        :hint="form.login.from === 'token' ? 'Over status, headers, body, cookies.' : 'Its name.'"
        :error-messages="faults['scheme.token'] ?? faults['scheme.cookie']"
      />
    </div>
    <div class="triple">
      <v-select v-model="form.login.attachTo" :items="places" label="Calls carry it in" />
      <template v-if="form.login.attachTo !== 'bearer'">
        <v-text-field
          v-model="form.login.attachName"
          class="mono"
          label="Name in that place"
          :error-messages="faults['scheme.attach']"
        />
        <v-text-field
          v-model="form.login.attachValue"
          class="mono"
          label="Value, with ${token}"
          :error-messages="faults['scheme.attach.value']"
        />
      </template>
    </div>
    <div class="pair">
      <v-text-field
        v-model="form.login.lives"
        class="mono"
        label="How long it lives"
        placeholder="50m, or body.expiresIn"
        hint="Empty: until it is refused."
        :error-messages="faults['scheme.lives']"
      />
      <v-text-field
        v-model="form.login.refused"
        class="mono"
        label="A call is refused when"
        placeholder="status == 409"
        hint="Empty: status == 401."
        :error-messages="faults['scheme.refused']"
      />
      <v-text-field
        v-model="form.login.success"
        class="mono"
        label="The login went well when"
        placeholder="status == 302"
        hint="Empty: a status from 200 to 299."
        :error-messages="faults['scheme.success']"
      />
      <v-text-field
        v-model="form.login.renew"
        class="mono"
        label="Request that renews"
        placeholder="POST https://depot.example/session/renew"
        hint="Empty: another login."
        :error-messages="faults['scheme.renew.request']"
      />
    </div>
  </div>
</template>
