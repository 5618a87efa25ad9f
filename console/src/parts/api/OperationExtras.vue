<script setup lang="ts">
import type { JsonObject } from "@copper-kettle/core";
import { computed } from "vue";
import { scopesIn, scopesOf, textAt, withScopes, withText } from "../../logic/operation-edit.js";

/** What people add to an operation: its scopes, and for whom it acts; where keys, records and ids are found. */
const props = defineProps<{ operation: JsonObject }>();
const emit = defineEmits<{ "update:operation": [operation: JsonObject] }>();

const put = (next: JsonObject): void => emit("update:operation", next);
const setText = (key: string, value: string | null): void => put(withText(props.operation, key, value));
const scopes = computed(() => scopesOf(props.operation).join(" "));
const setScopes = (written: string): void => put(withScopes(props.operation, scopesIn(written)));
const idsFrom = computed(() => [props.operation["x-ckettle-ids-from"] ?? []].flat().map(String).join(" "));
function setIdsFrom(written: string): void {
  const { "x-ckettle-ids-from": _old, ...rest } = props.operation;
  const patterns = written.split(/\s+/).filter(Boolean);
  put(patterns.length > 0 ? { ...rest, "x-ckettle-ids-from": patterns } : rest);
}
</script>

<template>
  <div class="column">
    <div class="pair">
      <v-text-field
        :model-value="scopes"
        label="Scopes"
        class="mono"
        hint="Names, or a line of the documentation with the names in it."
        @change="setScopes(($event.target as HTMLInputElement).value)"
      />
      <v-select
        :model-value="textAt(operation, 'x-ckettle-acts-for') || null"
        :items="['both', 'person', 'application']"
        label="Acts for"
        clearable
        @update:model-value="setText('x-ckettle-acts-for', $event)"
      />
    </div>
    <div class="pair">
      <v-text-field
        :model-value="textAt(operation, 'x-ckettle-key-page')"
        label="Where one gets a key"
        placeholder="https://"
        @update:model-value="setText('x-ckettle-key-page', $event)"
      />
      <v-text-field
        :model-value="textAt(operation, 'x-ckettle-link')"
        label="Where people find the record"
        class="mono"
        placeholder="https://boards.example/p/${body.id}"
        @update:model-value="setText('x-ckettle-link', $event)"
      />
    </div>
    <v-text-field
      :model-value="idsFrom"
      label="Addresses of pages that give the parameters"
      class="mono"
      placeholder="https://boards.example/b/{board}/p/{post}"
      @update:model-value="setIdsFrom"
    />
  </div>
</template>
