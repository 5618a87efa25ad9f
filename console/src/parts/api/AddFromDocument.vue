<script setup lang="ts">
import { apisRoutes, credentialsRoutes, type OutputOf } from "@copper-kettle/contract";
import { computed, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../../api.js";

/** An OpenAPI document, read: what it holds, what it would change, and the button that takes it. */
const props = defineProps<{ text: string | undefined; url: string | undefined; name: string }>();
const router = useRouter();
const preview = ref<OutputOf<typeof apisRoutes.previewApi>>();
const server = ref("");
const credential = ref<string | null>(null);
const credentials = ref<string[]>([]);
/** Whether the rules of a fetched document are taken, too. */
const rules = ref(false);
const fault = ref("");
const busy = ref("");
const given = computed(() => ({
  ...(props.url === undefined ? { text: props.text ?? "" } : { url: props.url }),
  ...(server.value ? { server: server.value } : {}),
  ...(credential.value ? { credential: credential.value } : {}),
  ...(rules.value ? { rules: true } : {}),
}));
const notes = computed(() => preview.value?.notes.slice(0, 20) ?? []);
const changes = computed(() => preview.value?.changes ?? []);
const marks = { added: "+", removed: "−", altered: "~" };

async function read(): Promise<void> {
  busy.value = "read";
  fault.value = "";
  try {
    preview.value = await api.call(apisRoutes.previewApi, {
      params: { name: props.name || "new" },
      body: given.value,
    });
  } catch (error) {
    preview.value = undefined;
    fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
watch(() => [props.text, props.url, props.name, rules.value], read);
onMounted(async () => {
  await read();
  try {
    credentials.value = (await api.call(credentialsRoutes.listCredentials)).credentials.map(
      (one) => one.name,
    );
  } catch {
    // Without the list a name cannot be chosen; the document can be taken all the same.
  }
});
async function take(): Promise<void> {
  busy.value = "take";
  try {
    await api.call(apisRoutes.putApi, { params: { name: props.name }, body: given.value });
    await router.push(`/apis/${props.name}`);
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
</script>

<template>
  <div class="from">
    <v-progress-linear v-if="busy === 'read'" indeterminate />
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <template v-if="preview">
      <p>
        <b>{{ preview.title }}</b> <span class="dim">{{ preview.written }}</span>,
        {{ preview.operations }} operations
      </p>
      <p class="mono dim">{{ preview.servers.join("\n") || "no server" }}</p>
      <ul v-if="notes.length > 0" class="notes">
        <li v-for="note in notes" :key="note">{{ note }}</li>
      </ul>
      <ul v-if="preview.security.length > 0" class="notes" aria-label="Authentication">
        <li v-for="one in preview.security" :key="one.name">
          Calls authenticate by <b>{{ one.kind ?? "a way that is not supported" }}</b>: {{ one.says }}
        </li>
      </ul>
      <v-checkbox
        v-if="rules || preview.leftOut.length > 0"
        v-model="rules"
        label="Use the rules of this document: effects, pages and what counts as success"
        density="compact"
        hide-details
      />
      <div class="pair">
        <v-text-field
          v-model="server"
          label="Server (replaces the servers of the document)"
          placeholder="https://"
          autocomplete="off"
        />
        <v-select v-model="credential" :items="credentials" label="Credential for its calls" clearable />
      </div>
      <template v-if="changes.length > 0">
        <h3>What would change</h3>
        <table class="lines" aria-label="Changes">
          <tbody>
            <tr v-for="change in changes" :key="change.method + change.path">
              <td class="mono">{{ marks[change.what] }}</td>
              <td class="mono">{{ change.method }} {{ change.path }}</td>
              <td>
                {{ change.what
                }}<span v-if="change.details.length > 0">: {{ change.details.join("; ") }}</span>
              </td>
              <td>
                <span v-if="change.usedBy.length > 0" class="text-warning"
                  >used by {{ change.usedBy.join(", ") }}</span
                >
              </td>
            </tr>
          </tbody>
        </table>
      </template>
      <div class="d-flex ga-2">
        <v-btn color="primary" variant="flat" :disabled="name === ''" :loading="busy === 'take'" @click="take"
          >Import document</v-btn
        >
        <span v-if="name === ''" class="dim align-self-center">Give the API a name.</span>
      </div>
    </template>
  </div>
</template>

<style scoped>
.from {
  display: grid;
  gap: 12px;
}
.mono {
  white-space: pre-line;
}
.notes {
  padding-left: 18px;
}
</style>
