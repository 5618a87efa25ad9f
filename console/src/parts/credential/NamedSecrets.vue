<script setup lang="ts">
import { mdiPlus } from "@mdi/js";
import SecretField from "../shared/SecretField.vue";

defineProps<{ faults: Record<string, string>; saved: boolean }>();
const secrets = defineModel<{ name: string; secret: string }[]>({ required: true });
</script>

<template>
  <div v-for="(item, index) in secrets" :key="index" class="pair">
    <v-text-field v-model="item.name" label="Name of the secret" />
    <SecretField
      v-model="item.secret"
      label="Secret"
      :saved="saved"
      :error-messages="faults[`secrets.${item.name}`]"
    />
  </div>
  <div>
    <v-btn size="small" :prepend-icon="mdiPlus" @click="secrets.push({ name: '', secret: '' })"
      >Add secret</v-btn
    >
  </div>
</template>
