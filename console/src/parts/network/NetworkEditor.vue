<script setup lang="ts">
import { apisRoutes, credentialsRoutes, networkRoutes, type Network } from "@copper-kettle/contract";
import { computed, onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import { emptyNetwork, networkFormOf, readNetwork, type NetworkForm } from "../../logic/network-form.js";

/** Without settings the form makes new ones; `name` is what they are for. */
const props = defineProps<{ network?: Network | undefined; scope?: Network["scope"]; name?: string }>();
const emit = defineEmits<{ saved: [network: Network] }>();
const begun: NetworkForm = props.network
  ? networkFormOf(props.network)
  : { ...emptyNetwork(), scope: props.scope ?? "host", name: props.name ?? "" };
const given = ref(begun);
const apis = ref<string[]>([]);
const credentials = ref<{ name: string; kind: string }[]>([]);
const faults = ref<Record<string, string>>({});
const fault = ref("");
const busy = ref(false);
const scopes = [
  { value: "service", title: "the whole service" },
  { value: "api", title: "the hosts of an API" },
  { value: "host", title: "one host" },
];
const usual = computed(() => (given.value.scope === "service" ? "as usual" : "as for the whole service"));
const proxies = computed(() => [
  { value: "as-usual", title: usual.value },
  { value: "none", title: "none" },
  { value: "own", title: "a proxy" },
]);
const versions = computed(() => [
  { value: "", title: usual.value },
  { value: "1.2", title: "1.2 or newer" },
  { value: "1.3", title: "1.3" },
]);
const choices = computed(() => [
  { value: "", title: usual.value },
  { value: "yes", title: "where the other side can" },
  { value: "no", title: "no" },
]);
const ofKind = (kind: string) =>
  computed(() => ["", ...credentials.value.filter((one) => one.kind === kind).map(({ name }) => name)]);
const basics = ofKind("basic");
const certificates = ofKind("mutual-tls");

forgetMended(faults, () => ({ ...given.value }), fault);
onMounted(async () => {
  try {
    const [known, list] = await Promise.all([
      api.call(apisRoutes.listApis),
      api.call(credentialsRoutes.listCredentials),
    ]);
    apis.value = known.apis.map(({ name }) => name);
    credentials.value = list.credentials;
  } catch (error) {
    fault.value = sentence(error);
  }
});

async function save(): Promise<void> {
  faults.value = {};
  fault.value = "";
  const name = given.value.scope === "service" ? "all" : given.value.name.trim();
  if (name === "") {
    faults.value = { name: given.value.scope === "api" ? "Choose an API." : "Give the host." };
    return;
  }
  busy.value = true;
  try {
    emit(
      "saved",
      await api.call(networkRoutes.putNetwork, {
        params: { scope: given.value.scope, name },
        body: readNetwork(given.value),
      }),
    );
  } catch (error) {
    faults.value = fieldMessages(error);
    if (Object.keys(faults.value).length === 0) fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="column" novalidate @submit.prevent="save">
    <div class="pair">
      <v-select
        v-model="given.scope"
        :items="scopes"
        label="For"
        :disabled="network !== undefined"
        hide-details
      />
      <v-select
        v-if="given.scope === 'api'"
        v-model="given.name"
        :items="apis"
        label="API"
        :disabled="network !== undefined"
        :error-messages="faults['name']"
      />
      <v-text-field
        v-if="given.scope === 'host'"
        v-model="given.name"
        label="Host"
        placeholder="stays.example:8443"
        :disabled="network !== undefined"
        :error-messages="faults['name']"
      />
    </div>
    <div class="pair">
      <v-select v-model="given.proxyIs" :items="proxies" label="Proxy" hide-details />
      <v-text-field
        v-if="given.proxyIs === 'own'"
        v-model="given.proxy"
        label="Address of the proxy"
        placeholder="http://proxy.huts.example:3128"
        :error-messages="faults['proxy']"
      />
    </div>
    <v-select
      v-if="given.proxyIs === 'own'"
      v-model="given.proxyCredential"
      :items="basics"
      label="Credential for the proxy (basic)"
      :error-messages="faults['proxyCredential']"
    />
    <v-textarea
      v-model="given.authorities"
      class="mono"
      label="Authorities to trust besides the usual ones, in PEM"
      placeholder="-----BEGIN CERTIFICATE-----"
      rows="2"
      max-rows="10"
      auto-grow
      :error-messages="faults['authorities']"
    />
    <v-select
      v-model="given.clientCertificate"
      :items="certificates"
      label="Client certificate, where a call has none (mutual-tls)"
      :error-messages="faults['clientCertificate']"
    />
    <div class="pair">
      <v-select v-model="given.tls" :items="versions" label="TLS version" hide-details />
      <v-select v-model="given.http2" :items="choices" label="HTTP/2" hide-details />
    </div>
    <div class="pair">
      <v-text-field
        v-model="given.keepAlive"
        label="Unused connections stay for"
        placeholder="4s"
        :error-messages="faults['keepAlive']"
      />
      <v-text-field
        v-model="given.localAddress"
        label="Calls come from the address"
        placeholder="any of this machine"
        :error-messages="faults['localAddress']"
      />
    </div>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div><v-btn type="submit" color="primary" variant="flat" :loading="busy">Save</v-btn></div>
  </form>
</template>
