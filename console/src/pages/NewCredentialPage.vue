<script setup lang="ts">
import { useRouter } from "vue-router";
import CredentialEditor from "../parts/CredentialEditor.vue";

const router = useRouter();
async function kept(name: string, removed: string[]): Promise<void> {
  const done = removed.length > 0 ? `Kept. Taken off the secret: ${removed.join(", ")}.` : "Kept.";
  await router.push({ path: `/credentials/${name}`, query: { done } });
}
</script>

<template>
  <div class="page">
    <h1 class="mb-3">Add a credential</h1>
    <v-card class="pa-4 narrow">
      <p class="dim mb-3">Secrets may come later: what is kept half filled is finished on its page.</p>
      <CredentialEditor @kept="kept" />
    </v-card>
  </div>
</template>

<style scoped>
.narrow {
  max-width: 760px;
}
</style>
