<script setup lang="ts">
import { apisRoutes, triesRoutes, type Understood } from "@copper-kettle/contract";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { api, sentence } from "../api.js";
import { pastedKind, suggestedName } from "../logic/pasted.js";
import AddFromDocument from "../parts/api/AddFromDocument.vue";
import AddFromRequest from "../parts/api/AddFromRequest.vue";
import FileChooser from "../parts/shared/FileChooser.vue";
import PageHead from "../parts/shared/PageHead.vue";

const route = useRoute();
const known = ref<string[]>([]);
const name = ref(typeof route.query["name"] === "string" ? route.query["name"] : "");
/** A request may hold a key: what is pasted stays in this page, and is written nowhere. */
const text = ref("");
const settled = ref(text.value);
const pasted = ref<Understood>();
const fault = ref("");
const asDocument = ref(true);

const kind = computed(() => pastedKind(settled.value));
const isDocument = computed(
  () => kind.value === "document" || (kind.value === "address" && asDocument.value),
);
let timer: ReturnType<typeof setTimeout> | undefined;
watch(text, (next) => {
  clearTimeout(timer);
  timer = setTimeout(() => (settled.value = next), 250);
});
onBeforeUnmount(() => clearTimeout(timer));
watch([settled, isDocument], understand);
onMounted(async () => {
  try {
    known.value = (await api.call(apisRoutes.listApis)).apis.map((one) => one.name);
  } catch (error) {
    fault.value = sentence(error);
  }
  await understand();
});

async function understand(): Promise<void> {
  fault.value = "";
  if (kind.value === "nothing" || isDocument.value) return void (pasted.value = undefined);
  const asked = settled.value;
  try {
    const read = await api.call(triesRoutes.readPasted, { body: { text: asked } });
    if (asked !== settled.value) return;
    pasted.value = read;
    if (name.value === "") name.value = suggestedName(new URL(read.server).hostname.replace(/\.[a-z]+$/, ""));
  } catch (error) {
    if (asked !== settled.value) return;
    pasted.value = undefined;
    fault.value = sentence(error);
  }
}
async function openFile(file: File): Promise<void> {
  if (name.value === "") name.value = suggestedName(file.name.replace(/\.[a-z]+$/i, ""));
  text.value = settled.value = await file.text();
}
const nameFault = computed(() =>
  name.value === "" || /^[a-z0-9](?:[a-z0-9-]*[a-z0-9])?$/.test(name.value)
    ? ""
    : "Small letters, digits and dashes.",
);
</script>

<template>
  <div class="page">
    <PageHead
      help="apis"
      :title="known.includes(name) ? `More for ${name}` : 'Describe an API'"
      :up="[{ title: 'APIs', to: '/apis' }]"
    />
    <div class="two">
      <v-card class="pa-4">
        <p class="dim mb-2">
          Paste an OpenAPI document or its URL. Or paste a request from the documentation: a curl command, a
          raw HTTP request, an entry of an HTTP archive, a fetch(…) call, or a URL.
        </p>
        <v-textarea
          v-model="text"
          class="mono box"
          rows="14"
          max-rows="22"
          auto-grow
          label="Document or request"
          spellcheck="false"
          autofocus
        />
        <FileChooser label="or a file" accept=".json,.yaml,.yml,.har,.txt" class="mt-2" @choose="openFile" />
        <v-text-field
          v-model.trim="name"
          label="Name of the API"
          class="mono mt-4"
          hint="as a file writes it: operation: name.…"
          autocomplete="off"
          :error-messages="nameFault || undefined"
        />
        <p v-if="known.includes(name)" class="dim mt-1">
          There is already an API with this name. The request is added to it.
        </p>
      </v-card>
      <v-card class="pa-4">
        <h2 class="mb-2">{{ isDocument ? "What the document holds" : "What is understood" }}</h2>
        <p v-if="kind === 'nothing'" class="dim">Nothing yet.</p>
        <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
        <p v-if="kind === 'address'" class="mb-2">
          <v-btn-toggle v-model="asDocument" mandatory density="compact" variant="outlined">
            <v-btn :value="true" size="small">It is the document's address</v-btn>
            <v-btn :value="false" size="small">It is a request</v-btn>
          </v-btn-toggle>
        </p>
        <AddFromDocument
          v-if="isDocument"
          :text="kind === 'document' ? settled : undefined"
          :url="kind === 'address' ? settled.trim() : undefined"
          :name="nameFault ? '' : name"
        />
        <AddFromRequest
          v-else-if="pasted"
          :text="settled"
          :pasted="pasted"
          :name="nameFault ? '' : name"
          :known="known.includes(name)"
        />
      </v-card>
    </div>
  </div>
</template>
