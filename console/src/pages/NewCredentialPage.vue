<script setup lang="ts">
import { useRouter } from "vue-router";
import CredentialEditor from "../parts/credential/CredentialEditor.vue";
import PageHead from "../parts/shared/PageHead.vue";

const router = useRouter();
async function saved(name: string, removed: string[]): Promise<void> {
  const done = removed.length > 0 ? `Saved. Removed from the secret: ${removed.join(", ")}.` : "Saved.";
  await router.push({ path: `/credentials/${name}`, query: { done } });
}
</script>

<template>
  <div class="page">
    <PageHead
      title="Add a credential"
      help="credentials"
      :up="[{ title: 'Credentials', to: '/credentials' }]"
    />
    <v-card class="pa-4 narrow">
      <p class="dim mb-3">You can add the secrets later, on the credential's page.</p>
      <CredentialEditor @saved="saved" />
    </v-card>
  </div>
</template>

<style scoped>
.narrow {
  max-width: 760px;
}
</style>
