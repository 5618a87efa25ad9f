<script setup lang="ts">
import { routes, type CredentialInfo, type OutputOf } from "@copper-kettle/contract";
import { onMounted, reactive, ref } from "vue";
import { api, sentence } from "../api.js";
import { when } from "../logic/format.js";
import CredentialEditor from "../parts/CredentialEditor.vue";

const credentials = ref<CredentialInfo[]>();
const fault = ref("");
const notice = ref("");
const addresses = reactive<Record<string, string>>({});
const results = reactive<Record<string, OutputOf<typeof routes.checkCredential>>>({});
const checking = ref("");
const open = ref("");

async function load(): Promise<void> {
  try {
    credentials.value = (await api.call(routes.listCredentials)).credentials;
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);

async function kept(name: string, removed: string[]): Promise<void> {
  notice.value =
    removed.length > 0 ? `${name} is kept. Taken off the secret: ${removed.join(", ")}.` : `${name} is kept.`;
  await load();
}
async function check(name: string): Promise<void> {
  checking.value = name;
  fault.value = "";
  try {
    results[name] = await api.call(routes.checkCredential, {
      params: { name },
      body: { url: addresses[name] ?? "" },
    });
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    checking.value = "";
  }
}
async function remove(name: string): Promise<void> {
  try {
    await api.call(routes.removeCredential, { params: { name } });
    notice.value = `${name} is removed.`;
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
const sends = (item: CredentialInfo): string =>
  item.shown
    .map((part) => `${part.place === "header" ? "" : `${part.place} `}${part.name}: ${part.value}`)
    .join("\n");
</script>

<template>
  <div class="page">
    <h1 class="mb-3">Credentials</h1>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-alert v-if="notice" type="success" class="mb-3" closable @click:close="notice = ''">{{
      notice
    }}</v-alert>
    <v-progress-linear v-if="!credentials && !fault" indeterminate />
    <div class="two">
      <v-card v-if="credentials" class="pa-2">
        <p v-if="credentials.length === 0" class="dim pa-2">
          There are no credentials yet. Add the first one beside.
        </p>
        <table v-else class="lines">
          <thead>
            <tr>
              <th>Credential</th>
              <th>Sends</th>
              <th class="wide">To</th>
              <th class="wide">Used by</th>
              <th class="wide">Last used</th>
            </tr>
          </thead>
          <tbody v-for="item in credentials" :key="item.name">
            <tr
              class="link"
              tabindex="0"
              @click="open = open === item.name ? '' : item.name"
              @keydown.enter="open = open === item.name ? '' : item.name"
            >
              <td>
                <div class="font-weight-medium">{{ item.name }}</div>
                <div class="dim">{{ item.kind }}</div>
              </td>
              <td class="mono sends">{{ sends(item) }}</td>
              <td class="wide mono">{{ item.hosts.join(", ") || "any host" }}</td>
              <td class="wide">{{ item.usedBy.join(", ") || "nothing" }}</td>
              <td class="wide text-no-wrap">{{ when(item.lastUsedAt) || "never" }}</td>
            </tr>
            <tr v-if="open === item.name">
              <td colspan="5">
                <div class="check">
                  <v-text-field
                    v-model="addresses[item.name]"
                    label="An address that wants this credential"
                    placeholder="https://stays.example/guests"
                    @keydown.enter="check(item.name)"
                  />
                  <v-btn
                    :loading="checking === item.name"
                    :disabled="!addresses[item.name]"
                    @click="check(item.name)"
                    >Check now</v-btn
                  >
                  <v-btn variant="text" color="error" @click="remove(item.name)">Remove</v-btn>
                </div>
                <v-alert
                  v-if="results[item.name]"
                  :type="results[item.name]?.ok ? 'success' : 'warning'"
                  class="mt-2"
                  >{{ results[item.name]?.sentence }}</v-alert
                >
              </td>
            </tr>
          </tbody>
        </table>
      </v-card>
      <v-card class="pa-4"><CredentialEditor @kept="kept" /></v-card>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 3fr) minmax(0, 2fr);
  gap: 12px;
  align-items: start;
}
.sends {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.check {
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 8px;
  align-items: center;
}
@media (max-width: 900px) {
  .two,
  .check {
    grid-template-columns: minmax(0, 1fr);
  }
  .wide {
    display: none;
  }
}
</style>
