<script setup lang="ts">
import {
  activityRoutes,
  credentialsRoutes,
  type Activity,
  type CredentialDetail,
} from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, sentence } from "../api.js";
import ActivityTable from "../parts/shared/ActivityTable.vue";
import CredentialActions from "../parts/credential/CredentialActions.vue";
import CredentialEditor from "../parts/credential/CredentialEditor.vue";
import CredentialFacts from "../parts/credential/CredentialFacts.vue";
import CredentialMark from "../parts/shared/CredentialMark.vue";
import PageHead from "../parts/shared/PageHead.vue";

const props = defineProps<{ name: string }>();
const route = useRoute();
const router = useRouter();
const credential = ref<CredentialDetail>();
const activity = ref<Activity[]>([]);
const fault = ref(typeof route.query["failed"] === "string" ? route.query["failed"] : "");
const editing = ref(false);
const notice = ref(typeof route.query["done"] === "string" ? route.query["done"] : "");

async function load(): Promise<void> {
  try {
    const [detail, list] = await Promise.all([
      api.call(credentialsRoutes.credential, { params: { name: props.name } }),
      api.call(activityRoutes.listActivity, { query: { credential: props.name, limit: 12 } }),
    ]);
    // What is missing is what somebody is here for.
    if (!credential.value && detail.state === "incomplete") editing.value = true;
    credential.value = detail;
    activity.value = list.activity;
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(async () => {
  await load();
  // What a sign-in brought back is shown once, and does not stay in the address.
  if (route.query["done"] || route.query["failed"]) await router.replace({ query: {} });
});

async function changed(text: string): Promise<void> {
  if (text) notice.value = text;
  await load();
}
async function saved(_name: string, removed: string[]): Promise<void> {
  editing.value = false;
  await changed(removed.length > 0 ? `Saved. Removed from the secret: ${removed.join(", ")}.` : "Saved.");
}
async function removed(): Promise<void> {
  await router.push({ path: "/credentials", query: { removed: props.name } });
}
</script>

<template>
  <div class="page">
    <PageHead
      times
      help="credentials"
      :title="name"
      :tab="`${name}, credential`"
      :up="[{ title: 'Credentials', to: '/credentials' }]"
    >
      <template v-if="credential">
        <span class="dim">{{ credential.kind }}</span>
        <CredentialMark :state="credential.state" :ends-soon="credential.warning !== null" />
      </template>
      <template v-if="credential && !editing" #actions>
        <v-btn @click="editing = true">Edit</v-btn>
      </template>
    </PageHead>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-alert v-if="notice" type="success" class="mb-3" closable @click:close="notice = ''">{{
      notice
    }}</v-alert>
    <v-progress-linear v-if="!credential && !fault" indeterminate />
    <div v-if="credential" class="two">
      <div class="column">
        <v-alert v-if="credential.sentence" type="warning">{{ credential.sentence }}</v-alert>
        <v-alert v-if="credential.warning" type="warning">{{ credential.warning.sentence }}</v-alert>
        <v-card class="pa-3">
          <CredentialFacts :credential="credential" />
        </v-card>
        <CredentialActions :credential="credential" :beside="editing" @changed="changed" @removed="removed" />
      </div>
      <div class="column">
        <v-card v-if="editing" class="pa-4">
          <h2 class="mb-3">Edit</h2>
          <CredentialEditor :credential="credential" @saved="saved" @cancelled="editing = false" />
        </v-card>
        <v-card class="pa-4">
          <h2 class="mb-2">Activity</h2>
          <ActivityTable :activity="activity" />
        </v-card>
      </div>
    </div>
  </div>
</template>

<style scoped>
.two {
  --left: 3fr;
  --right: 2fr;
}
</style>
