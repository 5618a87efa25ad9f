<script setup lang="ts">
import { routes, type CredentialInfo } from "@copper-kettle/contract";
import { mdiPlus } from "@mdi/js";
import { onMounted, ref } from "vue";
import { useRoute } from "vue-router";
import { api, sentence } from "../api.js";
import { when } from "../logic/format.js";
import CopyText from "../parts/shared/CopyText.vue";
import CredentialMark from "../parts/shared/CredentialMark.vue";
import PageHead from "../parts/shared/PageHead.vue";

const route = useRoute();
const credentials = ref<CredentialInfo[]>();
const redirectUri = ref("");
const fault = ref("");
const notice = ref(typeof route.query["removed"] === "string" ? `${route.query["removed"]} is removed.` : "");

onMounted(async () => {
  try {
    const [list, uri] = await Promise.all([api.call(routes.listCredentials), api.call(routes.redirectUri)]);
    credentials.value = list.credentials;
    redirectUri.value = uri.redirectUri;
  } catch (error) {
    fault.value = sentence(error);
  }
});
const sends = (item: CredentialInfo): string =>
  item.kind === "secret"
    ? "nothing: it verifies deliveries"
    : item.shown
        .map((part) => `${part.place === "header" ? "" : `${part.place} `}${part.name}: ${part.value}`)
        .join("\n");
</script>

<template>
  <div class="page">
    <PageHead title="Credentials">
      <template #actions>
        <v-btn to="/add-credential" color="primary" variant="flat" :prepend-icon="mdiPlus"
          >Add a credential</v-btn
        >
      </template>
    </PageHead>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-alert v-if="notice" type="success" class="mb-3" closable @click:close="notice = ''">{{
      notice
    }}</v-alert>
    <v-progress-linear v-if="!credentials && !fault" indeterminate />
    <v-card v-if="credentials" class="pa-2 mb-3">
      <p v-if="credentials.length === 0" class="dim pa-2">There are no credentials yet.</p>
      <table v-else class="lines">
        <thead>
          <tr>
            <th>Credential</th>
            <th>State</th>
            <th class="wide">Sends</th>
            <th class="wide">To</th>
            <th class="wide">Used by</th>
            <th class="wide">Last success</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in credentials" :key="item.name" class="link">
            <td>
              <router-link class="whole font-weight-medium text-no-wrap" :to="`/credentials/${item.name}`">{{
                item.name
              }}</router-link>
              <div class="dim">{{ item.kind }}</div>
            </td>
            <td>
              <CredentialMark :state="item.state" :ends-soon="item.warning !== null" />
              <div v-if="item.sentence || item.warning" class="dim short">
                {{ item.sentence ?? item.warning?.sentence }}
              </div>
            </td>
            <td class="wide mono sends">{{ sends(item) }}</td>
            <td class="wide mono">{{ item.hosts.join(", ") || "any host" }}</td>
            <td class="wide">{{ item.usedBy.join(", ") || "nothing" }}</td>
            <td class="wide text-no-wrap">{{ when(item.lastWorkedAt) || "not yet" }}</td>
          </tr>
        </tbody>
      </table>
    </v-card>
    <v-card v-if="redirectUri" class="pa-4">
      <h2 class="mb-1">Redirect URI of this installation</h2>
      <p class="dim mb-2">
        If people sign in for a credential, register this address with the authorization server first.
      </p>
      <CopyText :text="redirectUri" label="Redirect URI" />
    </v-card>
  </div>
</template>

<style scoped>
.head {
  justify-content: space-between;
}
.sends {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.short {
  max-width: 22rem;
  font-size: 0.8125rem;
}
</style>
