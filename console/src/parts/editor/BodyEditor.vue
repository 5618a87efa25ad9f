<script setup lang="ts">
import { isObject, printJson, type Json, type JsonObject, type Path } from "@copper-kettle/core";
import { computed, ref, watch } from "vue";
import { useSession } from "../../editor/session.js";
import { bodyOffers, type Offer } from "../../editor/offers.js";
import CodeField from "./CodeField.vue";
import JsonField from "./JsonField.vue";
import ValuesEditor from "./ValuesEditor.vue";

/** The body of a call: fields, or the raw value; both are the same text of the file, so that nothing is lost between them. */
const props = defineProps<{ path: Path; value: JsonObject }>();
const { document, line, catalogue } = useSession();
const kinds = ["json", "form", "multipart", "text", "xml", "json-lines", "graphql", "file"];
const kind = computed(() => kinds.find((one) => props.value[one] !== undefined) ?? null);
const content = computed<Json | undefined>(() => (kind.value === null ? undefined : props.value[kind.value]));
const isFlat = computed(() => isObject(content.value ?? null));
const view = ref<"fields" | "raw">("fields");
const offered = ref<Offer[]>([]);

watch(
  () => [line.value?.id, document.valueAt([...(line.value?.path ?? []), "operation"]), catalogue.value],
  async () => {
    const operation = document.valueAt([...(line.value?.path ?? []), "operation"]);
    offered.value = typeof operation === "string" ? await bodyOffers(operation) : [];
  },
  { immediate: true },
);
const fresh: Record<string, Json> = {
  json: {},
  form: {},
  multipart: {},
  graphql: { query: "" },
  "json-lines": [],
  file: {},
};

function choose(next: string | null): void {
  if (next === kind.value) return;
  if (next === null) return void document.act({ do: "unset", path: props.path });
  const isAlike = kind.value !== null && isObject(content.value ?? null) && isObject(fresh[next] ?? null);
  const value = isAlike ? (content.value as Json) : (fresh[next] ?? "");
  void document.act({ do: "set", path: props.path, value: { [next]: value } });
}
const set = (value: Json): void => {
  if (kind.value !== null) void document.act({ do: "set", path: [...props.path, kind.value], value });
};
</script>

<template>
  <div class="body">
    <div class="head">
      <v-select
        :model-value="kind"
        :items="kinds"
        clearable
        placeholder="no body"
        aria-label="Kind of body"
        max-width="150"
        @update:model-value="choose($event)"
      />
      <v-btn-toggle
        v-if="kind === 'json' && isFlat"
        v-model="view"
        mandatory
        density="compact"
        variant="outlined"
      >
        <v-btn value="fields" size="small">Fields</v-btn>
        <v-btn value="raw" size="small">Raw</v-btn>
      </v-btn-toggle>
    </div>
    <template v-if="kind">
      <CodeField
        v-if="kind === 'text' || (kind === 'xml' && typeof content === 'string')"
        :model-value="String(content ?? '')"
        kind="template"
        label="body"
        :path="[...path, kind]"
        tall
        @update:model-value="set($event)"
      />
      <ValuesEditor
        v-else-if="isFlat && view === 'fields'"
        :path="[...path, kind]"
        :value="content as JsonObject"
        :offered="offered"
        label="the body"
      />
      <JsonField v-else :model-value="content" label="body" @update:model-value="set($event)" />
    </template>
    <span v-if="kind === null && printJson(value) !== '{}'" class="dim">{{ printJson(value) }}</span>
  </div>
</template>

<style scoped>
.body {
  display: grid;
  gap: 6px;
  min-width: 0;
}
.head {
  display: flex;
  gap: 8px;
  align-items: center;
}
</style>
