<script setup lang="ts">
import { credentialsRoutes, type CredentialInfo } from "@copper-kettle/contract";
import { mdiPlus } from "@mdi/js";
import { computed, onMounted, ref } from "vue";
import { useRoute } from "vue-router";
import { api, sentence } from "../api.js";
import { when } from "../logic/format.js";
import { useSorted } from "../logic/sorting.js";
import CopyText from "../parts/shared/CopyText.vue";
import CredentialMark from "../parts/shared/CredentialMark.vue";
import PageHead from "../parts/shared/PageHead.vue";
import SearchField from "../parts/shared/SearchField.vue";
import SortHead from "../parts/shared/SortHead.vue";

const route = useRoute();
const credentials = ref<CredentialInfo[]>();
const redirectUri = ref("");
const fault = ref("");
const search = ref("");
const notice = ref(typeof route.query["removed"] === "string" ? `${route.query["removed"]} is removed.` : "");

onMounted(async () => {
  try {
    const [list, uri] = await Promise.all([
      api.call(credentialsRoutes.listCredentials),
      api.call(credentialsRoutes.redirectUri),
    ]);
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
const found = computed(() => {
  const wanted = search.value.trim().toLowerCase();
  return (credentials.value ?? []).filter((item) =>
    `${item.name} ${item.kind} ${item.hosts.join(" ")} ${item.usedBy.join(" ")}`
      .toLowerCase()
      .includes(wanted),
  );
});
/** What needs somebody comes first. */
const states: CredentialInfo["state"][] = [
  "failing",
  "sign-in-again",
  "sign-in",
  "incomplete",
  "unchecked",
  "ready",
];
const { sorting, sorted } = useSorted<CredentialInfo>(
  () => found.value,
  {
    name: (item) => item.name,
    state: (item) => states.indexOf(item.state) - (item.warning === null ? 0 : 0.5),
    hosts: (item) => item.hosts.join(", ") || undefined,
    users: (item) => item.usedBy.length,
    last: (item) => item.lastWorkedAt ?? undefined,
  },
  { first: "state", greatestFirst: ["users", "last"] },
);
</script>

<template>
  <div class="page">
    <PageHead title="Credentials" times help="credentials">
      <template #actions>
        <SearchField v-model="search" label="Search" />
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
      <p v-else-if="found.length === 0" class="dim pa-2">
        No credential has “{{ search }}” in its name, kind, hosts or users.
      </p>
      <table v-else class="lines">
        <thead>
          <tr>
            <SortHead :sorting="sorting" by="name">Credential</SortHead>
            <SortHead :sorting="sorting" by="state">State</SortHead>
            <th class="wide">Sends</th>
            <SortHead class="wide" :sorting="sorting" by="hosts">To</SortHead>
            <SortHead class="wide" :sorting="sorting" by="users">Used by</SortHead>
            <SortHead class="wide" :sorting="sorting" by="last">Last success</SortHead>
          </tr>
        </thead>
        <tbody>
          <tr v-for="item in sorted" :key="item.name" class="link">
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
.sends {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.short {
  max-width: 22rem;
  font-size: 0.8125rem;
}
</style>
