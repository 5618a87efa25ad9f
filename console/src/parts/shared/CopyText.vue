<script setup lang="ts">
import { mdiCheck, mdiContentCopy } from "@mdi/js";
import { ref } from "vue";

const props = defineProps<{ text: string; label: string; hiddenText?: boolean }>();
const copied = ref(false);

async function copy(): Promise<void> {
  await navigator.clipboard.writeText(props.text);
  copied.value = true;
  setTimeout(() => (copied.value = false), 2_000);
}
</script>

<template>
  <div class="copy">
    <code v-if="!hiddenText" class="mono" :aria-label="label">{{ text }}</code>
    <v-btn size="small" :prepend-icon="copied ? mdiCheck : mdiContentCopy" @click="copy">{{
      copied ? "Copied" : "Copy"
    }}</v-btn>
  </div>
</template>

<style scoped>
.copy {
  display: flex;
  gap: 10px;
  align-items: center;
  flex-wrap: wrap;
}
code {
  overflow-wrap: anywhere;
  user-select: all;
}
</style>
