<script setup lang="ts">
import { useSession } from "../../editor/session.js";
import BrokenReads from "./BrokenReads.vue";

/** What is to be said above the panes: what could not be done, what was published, what an edit leads to. */
const published = defineModel<string[]>({ required: true });
const { document } = useSession();
</script>

<template>
  <v-alert
    v-if="document.fault.value"
    type="error"
    class="mb-2"
    closable
    @click:close="document.fault.value = ''"
    >{{ document.fault.value }}</v-alert
  >
  <v-alert v-if="published.length > 0" type="success" class="mb-2" closable @click:close="published = []">{{
    published.join(" ")
  }}</v-alert>
  <v-alert
    v-if="document.notes.value.length > 0"
    type="info"
    class="mb-2"
    closable
    @click:close="document.notes.value = []"
  >
    <div v-for="note in document.notes.value" :key="note">{{ note }}</div>
  </v-alert>
  <BrokenReads />
</template>
