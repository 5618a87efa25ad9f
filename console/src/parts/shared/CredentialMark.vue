<script setup lang="ts">
import type { CredentialInfo } from "@copper-kettle/contract";
import {
  mdiAlertOutline,
  mdiCheckCircleOutline,
  mdiCircleHalfFull,
  mdiCircleOutline,
  mdiCloseOctagonOutline,
  mdiLogin,
} from "@mdi/js";
import { computed } from "vue";

const props = defineProps<{ state: CredentialInfo["state"]; endsSoon?: boolean }>();

/** Each state has its word and its own shape; the colour only helps. */
const looks: Record<CredentialInfo["state"], { icon: string; color: string; word: string }> = {
  ready: { icon: mdiCheckCircleOutline, color: "success", word: "ready" },
  unchecked: { icon: mdiCircleOutline, color: "info", word: "not checked yet" },
  incomplete: { icon: mdiCircleHalfFull, color: "info", word: "incomplete" },
  "sign-in": { icon: mdiLogin, color: "warning", word: "sign in" },
  "sign-in-again": { icon: mdiLogin, color: "warning", word: "sign in again" },
  failing: { icon: mdiCloseOctagonOutline, color: "error", word: "failing" },
};
const look = computed(() => looks[props.state]);
</script>

<template>
  <span class="state" :class="`text-${look.color}`">
    <v-icon :icon="look.icon" size="18" aria-hidden="true" />{{ look.word }}
  </span>
  <span v-if="endsSoon" class="state text-warning">
    <v-icon :icon="mdiAlertOutline" size="18" aria-hidden="true" />ends soon
  </span>
</template>

<style scoped>
.state {
  display: inline-flex;
  align-items: center;
  gap: 5px;
  white-space: nowrap;
  font-weight: 500;
  margin-right: 8px;
}
</style>
