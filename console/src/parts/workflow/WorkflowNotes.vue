<script setup lang="ts">
import type { WorkflowDetail } from "@copper-kettle/contract";
import { computed } from "vue";

/** What a workflow lacks before a run needs it, and what has changed since it was published. */
const props = defineProps<{ workflow: WorkflowDetail }>();
const missing = computed(() => props.workflow.scopes.filter((one) => one.missing.length > 0));
const link = (operation: string): string => `/apis/${operation.replace(".", "/")}`;
</script>

<template>
  <v-alert v-if="missing.length > 0" type="warning">
    <div v-for="one in missing" :key="one.step">
      Step <b>{{ one.step }}</b>:
      <router-link :to="link(one.operation)">{{ one.operation }}</router-link> wants the scope
      <span class="mono">{{ one.missing.join(" ") }}</span>, which
      {{ one.known === "token" ? "the token has not of" : "is not asked for by" }}
      <router-link :to="`/credentials/${one.credential}`">{{ one.credential }}</router-link>.
    </div>
  </v-alert>
  <v-alert v-if="workflow.changedOperations.length > 0" type="info">
    <div v-for="one in workflow.changedOperations" :key="one.operation">
      <router-link :to="link(one.operation)">{{ one.operation }}</router-link> was {{ one.what }} since this
      was published<template v-if="one.details.length > 0">: {{ one.details.join("; ") }}</template
      >.
    </div>
  </v-alert>
</template>
