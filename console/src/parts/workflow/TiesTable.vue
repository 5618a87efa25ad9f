<script setup lang="ts">
import type { CatalogueView } from "@copper-kettle/contract";
import type { Tie } from "@copper-kettle/core";

/** What a copy of a workflow is tied to, with a field for what it is to use instead. */
defineProps<{ ties: readonly Tie[]; catalogue: CatalogueView }>();
const given = defineModel<Record<string, string>>({ required: true });

const keyOf = ({ kind, name }: Tie): string => `${kind} ${name}`;
function known({ kind }: Tie, { credentials, constants, workflows, apis }: CatalogueView): string[] {
  switch (kind) {
    case "credential":
      return credentials.map(({ name }) => name);
    case "constant":
      return Object.keys(constants);
    case "workflow":
      return workflows.map(({ name }) => name);
    case "operation":
      return apis.flatMap(({ name, operations }) => operations.map(({ id }) => `${name}.${id}`));
    case "webhook":
      return [];
  }
}
</script>

<template>
  <table class="lines ties" aria-label="What the copy is tied to">
    <thead>
      <tr>
        <th>Tied to</th>
        <th>Used by</th>
        <th>In the copy</th>
      </tr>
    </thead>
    <tbody>
      <tr v-for="tie in ties" :key="keyOf(tie)">
        <td>
          <span class="dim">{{ tie.kind }}</span> <span class="mono">{{ tie.name }}</span>
        </td>
        <td class="mono dim">{{ tie.steps.join(", ") }}</td>
        <td>
          <v-combobox
            :model-value="given[keyOf(tie)] ?? tie.name"
            :items="known(tie, catalogue)"
            class="mono"
            :aria-label="`Instead of ${keyOf(tie)}`"
            @update:model-value="given = { ...given, [keyOf(tie)]: $event ?? tie.name }"
          />
        </td>
      </tr>
    </tbody>
  </table>
</template>

<style scoped>
td {
  vertical-align: middle;
}
</style>
