<script setup lang="ts">
import { mdiPlus, mdiTrashCanOutline } from "@mdi/js";
import type { CredentialForm } from "../../logic/credential-form.js";
import NamedSecrets from "./NamedSecrets.vue";
import SecretField from "../shared/SecretField.vue";

defineProps<{ faults: Record<string, string>; saved: boolean }>();
const form = defineModel<CredentialForm>({ required: true });
const places = ["header", "query", "cookie", "path", "body"];
</script>

<template>
  <div class="fields">
    <SecretField
      v-if="form.kind === 'bearer'"
      v-model="form.token"
      label="Token"
      :saved="saved"
      :error-messages="faults['token']"
    />
    <SecretField
      v-if="form.kind === 'secret'"
      v-model="form.token"
      label="Secret"
      :saved="saved"
      :error-messages="faults['secret']"
    />
    <template v-if="form.kind === 'basic' || form.kind === 'digest'">
      <v-text-field v-model="form.user" label="User" autocomplete="off" :error-messages="faults['user']" />
      <SecretField
        v-model="form.password"
        label="Password"
        :saved="saved"
        :error-messages="faults['password']"
      />
    </template>
    <template v-if="form.kind === 'api-key'">
      <div v-for="(part, index) in form.parts" :key="index" class="part">
        <v-select v-model="part.place" :items="places" label="Place" />
        <v-text-field
          v-model="part.name"
          label="Name in that place"
          :error-messages="faults[`parts.${index}.name`]"
        />
        <v-text-field v-model="part.prefix" label="Prefix" placeholder="Token" />
        <SecretField
          v-model="part.secret"
          label="Key"
          :saved="saved"
          :error-messages="faults[`parts.${index}.secret`]"
        />
        <v-btn
          v-if="form.parts.length > 1"
          icon
          variant="text"
          size="small"
          aria-label="Remove part"
          @click="form.parts.splice(index, 1)"
          ><v-icon :icon="mdiTrashCanOutline" size="20"
        /></v-btn>
      </div>
      <div>
        <v-btn
          size="small"
          :prepend-icon="mdiPlus"
          @click="form.parts.push({ place: 'header', name: '', prefix: '', secret: '' })"
          >Add part</v-btn
        >
      </div>
    </template>
    <template v-if="form.kind === 'signed'">
      <NamedSecrets v-model="form.secrets" :faults="faults" :saved="saved" />
      <v-textarea
        v-model="form.scheme.base"
        class="mono"
        label="What is signed"
        rows="4"
        auto-grow
        :error-messages="faults['scheme.base']"
      />
      <v-text-field
        v-model="form.scheme.signature"
        class="mono"
        label="Signature (an expression over base and secret.NAME)"
        :error-messages="faults['scheme.signature']"
      />
      <v-textarea
        v-model="form.scheme.headers"
        class="mono"
        label="Headers to set, one per line"
        rows="3"
        auto-grow
        :error-messages="faults['scheme.headers']"
      />
    </template>
  </div>
</template>

<style scoped>
.fields {
  display: grid;
  gap: 12px;
}
.part {
  display: grid;
  grid-template-columns: 110px 1fr 110px 1fr auto;
  gap: 8px;
}
@media (max-width: 700px) {
  .part {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
