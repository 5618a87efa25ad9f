<script setup lang="ts">
import { listedFields, schemaFields, type JsonObject } from "@copper-kettle/core";
import { computed, ref } from "vue";
import JsonTree from "../shared/JsonTree.vue";

/** A schema as a table of fields; as it is written behind a link. */
const props = defineProps<{ schema: unknown }>();
const fields = computed(() => schemaFields(props.schema as JsonObject));
const raw = ref(false);
</script>

<template>
  <div>
    <button v-if="fields.length > 0" type="button" class="switch" @click="raw = !raw">
      {{ raw ? "as a table" : "as JSON Schema" }}
    </button>
    <JsonTree v-if="raw || fields.length === 0" :value="schema" :open-to="1" />
    <table v-else class="lines fields">
      <thead>
        <tr>
          <th>Field</th>
          <th>Type</th>
          <th>Required</th>
          <th>Note</th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(field, index) in fields" :key="index">
          <td class="mono" :style="{ paddingLeft: `${8 + field.depth * 16}px` }">{{ field.name }}</td>
          <td>{{ field.kind }}</td>
          <td>{{ field.required ? "yes" : "" }}</td>
          <td>{{ field.note }}</td>
        </tr>
      </tbody>
    </table>
    <p v-if="!raw && fields.length >= listedFields.most" class="dim">
      The first {{ listedFields.most }} fields are shown.
    </p>
  </div>
</template>

<style scoped>
.switch {
  color: var(--copper);
  text-decoration: underline;
  font-size: 0.8125rem;
}
.fields td {
  vertical-align: top;
  overflow-wrap: break-word;
}
.fields {
  table-layout: fixed;
}
.fields th:nth-child(1) {
  width: 32%;
}
.fields th:nth-child(2) {
  width: 24%;
}
.fields th:nth-child(3) {
  width: 80px;
}
@media (max-width: 700px) {
  .fields {
    table-layout: auto;
  }
}
</style>
