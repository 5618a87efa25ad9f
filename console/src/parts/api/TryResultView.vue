<script setup lang="ts">
import type { TryResult } from "@copper-kettle/contract";
import { isObject, pictureTypes, statusText, type JsonObject } from "@copper-kettle/core";
import { mdiAlertCircleOutline, mdiCheckCircleOutline } from "@mdi/js";
import { computed, ref, watch } from "vue";
import DetailsText from "../shared/DetailsText.vue";
import BodyView from "../shared/BodyView.vue";
import CopyText from "../shared/CopyText.vue";

/** What came back from one call, and what was sent for it. */
const props = defineProps<{ result: TryResult }>();
const tab = ref("body");
watch(
  () => props.result,
  () => (tab.value = "body"),
);
const good = computed(() => props.result.status !== null && props.result.status < 400);
const mediaType = computed(() => String(props.result.headers["content-type"] ?? ""));
const host = computed(() => (props.result.link ? new URL(props.result.link).host : ""));
const asText = ref(false);
/** Bytes come in Base64, with their media type. */
const bytes = computed(() =>
  isObject(props.result.body) && "mediaType" in props.result.body && "size" in props.result.body
    ? props.result.body
    : undefined,
);
const picture = computed(() =>
  bytes.value && pictureTypes.has(String(bytes.value["mediaType"])) && bytes.value["base64"]
    ? `data:${String(bytes.value["mediaType"])};base64,${String(bytes.value["base64"])}`
    : undefined,
);
/** CSV as a table. */
const rows = computed(() =>
  props.result.text !== null && Array.isArray(props.result.body)
    ? (props.result.body as JsonObject[])
    : undefined,
);
const columns = computed(() => Object.keys(rows.value?.[0] ?? {}));
const facts = computed(() => {
  const { took, size, redirects } = props.result;
  return [
    `${took} ms`,
    size === null ? "" : `${size} bytes`,
    mediaType.value,
    redirects.length > 0 ? `${redirects.length} redirected` : "",
  ].filter(Boolean);
});
</script>

<template>
  <section aria-label="Response">
    <div class="status" :class="good ? 'text-success' : 'text-error'">
      <v-icon :icon="good ? mdiCheckCircleOutline : mdiAlertCircleOutline" size="20" />
      <b v-if="result.status !== null">{{ result.status }}{{ statusText(result.status) }}</b>
      <b v-else>no response</b>
      <span class="dim facts">{{ facts.join(" · ") }}</span>
    </div>
    <p class="mono dim url">{{ result.url }}</p>
    <v-alert v-if="result.failure" type="error" class="my-2"
      >{{ result.failure.message }} <DetailsText :detail="result.failure.detail"
    /></v-alert>
    <v-alert v-if="result.explanation" type="info" class="my-2">{{ result.explanation }}</v-alert>
    <v-btn v-if="result.link" :href="result.link" target="_blank" rel="noreferrer" size="small" class="my-2"
      >Open in {{ host }}</v-btn
    >
    <v-alert v-if="result.drift.length > 0" type="warning" class="my-2">
      <div v-for="one in result.drift" :key="one.what + one.path">
        <span class="mono">{{ one.path || "the body" }}</span>: {{ one.detail }}
      </div>
    </v-alert>
    <v-tabs v-model="tab" density="compact">
      <v-tab value="body">Body</v-tab>
      <v-tab value="headers">Headers</v-tab>
      <v-tab value="sent">Sent</v-tab>
      <v-tab value="curl">curl</v-tab>
    </v-tabs>
    <div class="pane">
      <template v-if="tab === 'body'">
        <v-btn v-if="result.text !== null" size="x-small" class="mb-2" @click="asText = !asText">{{
          asText ? "As values" : "As text"
        }}</v-btn>
        <BodyView v-if="asText && result.text !== null" :body="result.text" />
        <img v-else-if="picture" :src="picture" alt="The picture that came back" class="picture" />
        <p v-else-if="bytes">{{ bytes["size"] }} bytes of {{ bytes["mediaType"] }}</p>
        <table v-else-if="rows" class="lines">
          <thead>
            <tr>
              <th v-for="column in columns" :key="column">{{ column }}</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="(row, index) in rows.slice(0, 200)" :key="index">
              <td v-for="column in columns" :key="column">{{ row[column] }}</td>
            </tr>
          </tbody>
        </table>
        <BodyView v-else :body="result.body" />
      </template>
      <template v-else-if="tab === 'headers'">
        <p v-if="result.status === null" class="dim">No response.</p>
        <div v-for="(value, name) in result.headers" :key="name" class="mono">
          <span class="key">{{ name }}:</span> {{ Array.isArray(value) ? value.join("; ") : value }}
        </div>
        <template v-if="Object.keys(result.cookies).length > 0">
          <h3 class="mt-2">Cookies</h3>
          <div v-for="(value, name) in result.cookies" :key="name" class="mono">
            <span class="key">{{ name }}</span> = {{ value }}
          </div>
        </template>
        <template v-if="result.redirects.length > 0">
          <h3 class="mt-2">Redirected from</h3>
          <div v-for="url in result.redirects" :key="url" class="mono">{{ url }}</div>
        </template>
      </template>
      <template v-else-if="tab === 'sent'">
        <div class="mono">{{ result.sent.method }} {{ result.sent.url }}</div>
        <div v-for="[name, value] in result.sent.headers" :key="name" class="mono">
          <span class="key">{{ name }}:</span> {{ value }}
        </div>
        <pre v-if="result.sent.body !== null" class="mono text mt-2">{{ result.sent.body }}</pre>
      </template>
      <template v-else>
        <pre class="mono text">{{ result.curl }}</pre>
        <CopyText :text="result.curl" label="curl command" hidden-text class="mt-2" />
      </template>
    </div>
  </section>
</template>

<style scoped>
.status {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
}
.facts {
  color: rgb(var(--v-theme-on-surface));
}
.url {
  overflow-wrap: anywhere;
  font-size: 0.8125rem;
}
.pane {
  padding-top: 10px;
  overflow: auto;
  max-height: 60vh;
}
.key {
  color: rgb(var(--v-theme-primary));
}
.text {
  white-space: pre-wrap;
  overflow-wrap: anywhere;
}
.mono {
  overflow-wrap: anywhere;
}
.picture {
  max-width: 100%;
  image-rendering: auto;
  border: 1px solid rgb(var(--v-theme-surface-variant));
}
</style>
