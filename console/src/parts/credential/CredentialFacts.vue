<script setup lang="ts">
import type { CredentialDetail } from "@copper-kettle/contract";
import { computed } from "vue";
import { when } from "../../logic/format.js";
import CopyText from "../shared/CopyText.vue";
import LoginExchange from "./LoginExchange.vue";
import JsonTree from "../shared/JsonTree.vue";

const props = defineProps<{ credential: CredentialDetail }>();
const sends = computed(() =>
  props.credential.shown.map(
    (part) => `${part.place === "header" ? "" : `${part.place} `}${part.name}: ${part.value}`,
  ),
);
const renewal = computed(() => {
  const { kind, token } = props.credential;
  if (!token?.refreshable) return "";
  return kind === "login" ? ", renewed before that" : ", refreshed by its refresh token";
});
</script>

<template>
  <table class="lines facts">
    <tbody>
      <tr v-if="credential.redirectUri">
        <th>Redirect URI</th>
        <td><CopyText :text="credential.redirectUri" label="Redirect URI" /></td>
      </tr>
      <tr>
        <th>Sends</th>
        <td class="mono">
          <div v-for="line in sends" :key="line">{{ line }}</div>
        </td>
      </tr>
      <tr>
        <th>To</th>
        <td class="mono">{{ credential.hosts.join(", ") || "any host" }}</td>
      </tr>
      <tr v-if="credential.scopes.length > 0">
        <th>Scopes</th>
        <td>
          <table class="scopes" aria-label="Scopes">
            <thead>
              <tr>
                <th>scope</th>
                <th>asked for</th>
                <th>in the token</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in credential.scopes" :key="item.scope">
                <td class="mono">{{ item.scope }}</td>
                <td>{{ item.asked ? "yes" : "no" }}</td>
                <td :class="{ 'text-error': item.granted === false }">
                  {{ item.granted === null ? "no token yet" : item.granted ? "yes" : "no – not granted" }}
                </td>
              </tr>
            </tbody>
          </table>
        </td>
      </tr>
      <tr v-if="credential.token">
        <th>Token</th>
        <td>
          obtained {{ when(credential.token.obtainedAt)
          }}<template v-if="credential.token.subject">
            for <b>{{ credential.token.subject }}</b></template
          >, valid until {{ when(credential.token.expiresAt) || "it is refused" }}{{ renewal }}
          <details v-if="credential.token.claims">
            <summary class="dim">Claims</summary>
            <JsonTree :value="credential.token.claims" />
          </details>
        </td>
      </tr>
      <tr v-if="credential.login?.last">
        <th>Last login</th>
        <td><LoginExchange :login="credential.login" /></td>
      </tr>
      <tr v-for="item in credential.certificates" :key="item.subject">
        <th>Certificate</th>
        <td>{{ item.subject }}, until {{ when(item.endsAt) }}</td>
      </tr>
      <tr v-if="credential.endsAt">
        <th>Expires</th>
        <td>{{ when(credential.endsAt) }}</td>
      </tr>
      <tr v-if="credential.replacedUntil">
        <th>Old secret</th>
        <td>valid until {{ when(credential.replacedUntil) }}; the new one is tried first</td>
      </tr>
      <tr>
        <th>Used by</th>
        <td>
          <template v-if="credential.usedBy.length === 0">no workflow</template>
          <template v-for="(name, index) in credential.usedBy" :key="name"
            ><template v-if="index > 0">, </template
            ><router-link :to="`/workflows/${name}`">{{ name }}</router-link></template
          >
        </td>
      </tr>
      <tr>
        <th>Last used, last success</th>
        <td>
          {{ when(credential.lastUsedAt) || "never" }}, {{ when(credential.lastWorkedAt) || "not yet" }}
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
.facts > tbody > tr > th {
  border-top: 1px solid var(--line);
  width: 9rem;
  vertical-align: top;
  padding-top: 6px;
}
.facts > tbody > tr:first-child > * {
  border-top: none;
}
.facts td {
  overflow-wrap: anywhere;
}
@media (max-width: 600px) {
  .facts > tbody,
  .facts > tbody > tr,
  .facts > tbody > tr > * {
    display: block;
    width: auto;
  }
  .facts > tbody > tr > td {
    border-top: none;
  }
}
.scopes th {
  text-align: left;
  font-weight: 500;
  color: var(--dim);
  padding: 0 14px 2px 0;
}
.scopes td {
  padding: 1px 14px 1px 0;
  border: none;
}
</style>
