<script setup lang="ts">
import { useSession } from "../../editor/session.js";
import InputFields from "../shared/InputFields.vue";

/** What tests are given. */
const { testing } = useSession();
</script>

<template>
  <form class="card ask" aria-label="Test inputs" novalidate @submit.prevent="testing.run({ what: 'all' })">
    <h2>Test with</h2>
    <p v-if="testing.fields.value.length === 0" class="dim">This workflow takes no inputs.</p>
    <InputFields
      v-model="testing.inputs.value"
      :fields="testing.fields.value"
      :faults="testing.faults.value"
    />
    <v-alert v-if="testing.fault.value" type="error">{{ testing.fault.value }}</v-alert>
    <div class="d-flex ga-2">
      <v-btn type="submit" color="primary" variant="flat" :loading="testing.busy.value">Test all</v-btn>
      <v-btn @click="testing.run({ what: 'all' }, { rehearsal: true })">Rehearse</v-btn>
      <v-btn variant="text" @click="testing.asks.value = false">Close</v-btn>
    </div>
  </form>
</template>

<style scoped>
.ask {
  display: grid;
  gap: 10px;
  max-width: 560px;
  padding: 12px 14px;
  margin-bottom: 10px;
  overflow: visible;
}
</style>
