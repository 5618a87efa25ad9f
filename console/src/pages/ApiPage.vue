<script setup lang="ts">
import {
  apisRoutes,
  driftRoutes,
  operationsRoutes,
  type ApiDetail,
  type Drift,
  type OperationSummary,
} from "@copper-kettle/contract";
import { mdiPlus } from "@mdi/js";
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, sentence } from "../api.js";
import { when } from "../logic/format.js";
import ConfirmRemove from "../parts/shared/ConfirmRemove.vue";
import DriftTable from "../parts/api/DriftTable.vue";
import MethodMark from "../parts/shared/MethodMark.vue";
import PageHead from "../parts/shared/PageHead.vue";
import SearchField from "../parts/shared/SearchField.vue";

const props = defineProps<{ name: string }>();
const router = useRouter();
const about = ref<ApiDetail>();
const operations = ref<OperationSummary[]>([]);
const drift = ref<Drift[]>([]);
const search = ref("");
const fault = ref("");
const params = { name: props.name };

onMounted(async () => {
  try {
    const [detail, list, seen] = await Promise.all([
      api.call(apisRoutes.api, { params }),
      api.call(operationsRoutes.listOperations, { params, query: {} }),
      api.call(driftRoutes.listDrift, { query: { api: props.name } }),
    ]);
    operations.value = list.operations;
    drift.value = seen.drift;
    about.value = detail;
  } catch (error) {
    fault.value = sentence(error);
  }
});
const texts = computed(() =>
  operations.value.map(({ id, method, path, title }) => `${id} ${method} ${path} ${title}`.toLowerCase()),
);
/** Every word must stand somewhere in id, method, path or title. */
const found = computed(() => {
  const words = search.value.toLowerCase().split(/\s+/).filter(Boolean);
  return operations.value.filter((_one, index) => words.every((word) => texts.value[index]?.includes(word)));
});
const consequences = computed(() => {
  const usedBy = about.value?.usedBy ?? [];
  return [
    "Its operations cannot be called any more. Runs that called them can still be read.",
    usedBy.length > 0
      ? `Calls of ${usedBy.join(", ")} fail until there is an API with this name again.`
      : "No workflow uses it.",
  ];
});
async function forget(): Promise<void> {
  try {
    await api.call(driftRoutes.forgetDrift, { params, body: {} });
    drift.value = [];
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function remove(): Promise<void> {
  try {
    await api.call(apisRoutes.removeApi, { params });
    await router.push("/apis");
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <div class="page">
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-progress-linear v-if="!about && !fault" indeterminate />
    <template v-if="about">
      <PageHead
        times
        help="apis"
        :title="about.title"
        :name="name"
        :tab="`${name}, API`"
        :up="[{ title: 'APIs', to: '/apis' }]"
      >
        <span class="dim"
          >{{ about.version ? `version ${about.version}, ` : "" }}revision {{ about.revision }}</span
        >
        <template #actions>
          <v-btn :to="{ path: '/add-api', query: { name } }" :prepend-icon="mdiPlus"
            >Add an operation or a newer document</v-btn
          >
        </template>
      </PageHead>
      <div class="two">
        <v-card class="pa-3">
          <SearchField v-model="search" label="Search operations" class="mb-2" />
          <p class="dim mb-1">{{ found.length }} of {{ operations.length }}</p>
          <v-virtual-scroll
            :items="found"
            :item-height="44"
            :height="Math.min(found.length * 44 + 4, 560)"
            aria-label="Operations"
          >
            <template #default="{ item }">
              <router-link :to="`/apis/${name}/${item.id}`" class="operation">
                <MethodMark :method="item.method" />
                <span class="words">
                  <span :class="{ deprecated: item.deprecated }">{{ item.title }}</span>
                  <span class="mono dim path">{{ item.path }}</span>
                </span>
                <span class="mono dim id">{{ item.id }}</span>
              </router-link>
            </template>
          </v-virtual-scroll>
        </v-card>
        <div class="column">
          <v-card class="pa-4">
            <table class="facts">
              <tbody>
                <tr v-if="about.about">
                  <th>About</th>
                  <td class="about">{{ about.about }}</td>
                </tr>
                <tr>
                  <th>Servers</th>
                  <td class="mono">{{ about.servers.join("\n") || "none" }}</td>
                </tr>
                <tr>
                  <th>Network</th>
                  <td>
                    <router-link :to="{ path: '/network', query: { api: name } }"
                      >proxy, authorities, TLS</router-link
                    >
                  </td>
                </tr>
                <tr>
                  <th>Credential</th>
                  <td>
                    <router-link v-if="about.credential" :to="`/credentials/${about.credential}`">{{
                      about.credential
                    }}</router-link><span v-else class="dim">none</span>
                  </td>
                </tr>
                <tr v-if="about.security.length > 0">
                  <th>Authenticates by</th>
                  <td>
                    <div v-for="one in about.security" :key="one.name">
                      {{ one.kind ?? "a way that is not supported" }} <span class="dim">{{ one.says }}</span>
                    </div>
                  </td>
                </tr>
                <tr>
                  <th>Used by</th>
                  <td>
                    <template v-for="(one, index) in about.usedBy" :key="one"
                      >{{ index > 0 ? ", " : ""
                      }}<router-link :to="`/workflows/${one}`">{{ one }}</router-link></template
                    >
                    <span v-if="about.usedBy.length === 0" class="dim">no workflow</span>
                  </td>
                </tr>
                <tr v-if="about.notes.length > 0">
                  <th>Notes</th>
                  <td>{{ about.notes.join("\n") }}</td>
                </tr>
              </tbody>
            </table>
          </v-card>
          <v-card class="pa-4">
            <h2 class="mb-2">Revisions</h2>
            <table class="lines">
              <tbody>
                <tr v-for="one in about.revisions.slice(0, 8)" :key="one.revision">
                  <td>{{ one.revision }}</td>
                  <td class="text-no-wrap">{{ when(one.at) }}</td>
                  <td>{{ one.by }}</td>
                  <td>
                    {{ one.written }} <span v-if="one.source" class="mono dim source">{{ one.source }}</span>
                  </td>
                </tr>
              </tbody>
            </table>
          </v-card>
          <div><ConfirmRemove title="Remove API" :consequences="consequences" @confirmed="remove" /></div>
        </div>
      </div>
      <v-card v-if="drift.length > 0" class="pa-4 mt-3">
        <div class="d-flex justify-space-between mb-2">
          <h2>Responses that do not match the document</h2>
          <v-btn size="small" @click="forget">Clear the list</v-btn>
        </div>
        <DriftTable :drift="drift" />
      </v-card>
    </template>
  </div>
</template>

<style scoped>
.two {
  --left: 3fr;
  --right: 2fr;
}
.operation {
  display: flex;
  gap: 10px;
  align-items: center;
  height: 44px;
  color: inherit;
  text-decoration: none;
  padding: 0 6px;
  border-radius: 4px;
}
.operation:hover,
.operation:focus-visible {
  background: rgb(var(--v-theme-surface-variant));
}
.words {
  flex: 1;
  min-width: 0;
  display: grid;
  line-height: 1.25;
}
.words > span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.path,
.id {
  font-size: 0.75rem;
}
.deprecated {
  text-decoration: line-through;
}
.facts th {
  text-align: left;
  vertical-align: top;
  padding: 2px 14px 2px 0;
  font-weight: 500;
}
.facts td {
  white-space: pre-line;
  overflow-wrap: anywhere;
}
.source {
  overflow-wrap: anywhere;
}
@media (max-width: 900px) {
  .id {
    display: none;
  }
}
</style>
