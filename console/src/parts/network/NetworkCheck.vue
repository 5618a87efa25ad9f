<script setup lang="ts">
import { networkRoutes, type Met } from "@copper-kettle/contract";
import { ref } from "vue";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";

const address = ref("");
const met = ref<Met>();
const fault = ref("");
const busy = ref(false);

async function check(): Promise<void> {
  busy.value = true;
  fault.value = "";
  met.value = undefined;
  try {
    met.value = await api.call(networkRoutes.checkNetwork, { body: { url: address.value.trim() } });
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <v-card class="pa-4 column">
    <h2>Check</h2>
    <p class="dim">Connects to an address as a call would, and sends nothing.</p>
    <div class="check">
      <v-text-field
        v-model="address"
        label="Address"
        placeholder="https://stays.example"
        hide-details
        @keydown.enter="check"
      />
      <v-btn :loading="busy" :disabled="!address" @click="check">Check</v-btn>
    </div>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <template v-if="met">
      <v-alert :type="met.fault === null ? 'success' : 'warning'">{{
        met.fault ?? "Calls can use this connection."
      }}</v-alert>
      <table class="lines">
        <tbody>
          <tr>
            <th>Addresses</th>
            <td class="mono">
              <div v-for="item in met.addresses" :key="item.address">
                {{ item.address }}{{ item.allowed ? "" : " – calls may not go there" }}
              </div>
              <span v-if="met.addresses.length === 0">none</span>
            </td>
          </tr>
          <tr v-if="met.proxy">
            <th>Proxy</th>
            <td class="mono">{{ met.proxy }}</td>
          </tr>
          <tr v-if="met.protocol">
            <th>Protocol</th>
            <td class="mono">{{ met.protocol }}{{ met.application ? `, ${met.application}` : "" }}</td>
          </tr>
          <tr v-for="item in met.certificates" :key="item.sha256">
            <th>Certificate</th>
            <td>
              <div class="mono">{{ item.subject }}</div>
              <div class="dim">by {{ item.issuer }}</div>
              <div v-if="item.names.length > 0" class="mono">{{ item.names.join(", ") }}</div>
              <div>{{ when(item.from) }} to {{ when(item.until) }}</div>
              <div class="mono dim">{{ item.sha256 }}</div>
            </td>
          </tr>
        </tbody>
      </table>
    </template>
  </v-card>
</template>

<style scoped>
.check {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px;
  align-items: end;
}
td {
  overflow-wrap: anywhere;
}
th {
  vertical-align: top;
  width: 7rem;
}
</style>
