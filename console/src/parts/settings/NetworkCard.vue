<script setup lang="ts">
import { networkFacts, networkName, networkRoutes, type Network } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { useRoute } from "vue-router";
import { api, sentence } from "../../api.js";
import { when } from "../../logic/format.js";
import NetworkCheck from "../network/NetworkCheck.vue";
import NetworkEditor from "../network/NetworkEditor.vue";
import ConfirmRemove from "../shared/ConfirmRemove.vue";

const route = useRoute();
const networks = ref<Network[]>();
const edited = ref<Network>();
const fault = ref("");
const notice = ref("");
const removing = ref("");
/** The form is new for each thing that is edited. */
const turn = ref(0);
const asked = typeof route.query["api"] === "string" ? route.query["api"] : undefined;

async function load(): Promise<void> {
  try {
    networks.value = (await api.call(networkRoutes.networks)).networks;
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(async () => {
  await load();
  const known = networks.value?.find(({ scope, name }) => scope === "api" && name === asked);
  if (known) edit(known);
});

function edit(network: Network | undefined): void {
  edited.value = network;
  turn.value++;
}
async function saved(network: Network): Promise<void> {
  notice.value = `Saved for ${networkName(network)}. New connections are made this way.`;
  edit(undefined);
  await load();
}
async function remove({ scope, name }: Network): Promise<void> {
  removing.value = `${scope} ${name}`;
  try {
    await api.call(networkRoutes.removeNetwork, { params: { scope, name } });
    notice.value = `Removed for ${networkName({ scope, name })}.`;
    edit(undefined);
    await load();
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    removing.value = "";
  }
}
</script>

<template>
  <div>
    <v-alert v-if="fault" type="error" class="mb-3">{{ fault }}</v-alert>
    <v-alert v-if="notice" type="success" class="mb-3" closable @click:close="notice = ''">{{
      notice
    }}</v-alert>
    <div class="two">
      <div class="column">
        <v-card class="pa-4">
          <p class="dim mb-2">
            How hosts are reached. What is set for a host goes before what is set for its API, and that before
            what is set for the whole service.
          </p>
          <p v-if="networks?.length === 0">Every host is reached directly.</p>
          <table v-if="networks && networks.length > 0" class="lines">
            <thead>
              <tr>
                <th>For</th>
                <th>Settings</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="item in networks" :key="`${item.scope} ${item.name}`">
                <td>{{ networkName(item) }}</td>
                <td>
                  <div v-for="line in networkFacts(item, when)" :key="line">{{ line }}</div>
                  <v-btn size="small" variant="text" class="edit" @click="edit(item)">Edit</v-btn>
                  <ConfirmRemove
                    title="Remove network settings"
                    short="Remove"
                    :consequences="[`${networkName(item)} is reached as the other settings say.`]"
                    :busy="removing === `${item.scope} ${item.name}`"
                    @confirmed="remove(item)"
                  />
                </td>
              </tr>
            </tbody>
          </table>
        </v-card>
        <NetworkCheck />
      </div>
      <v-card class="pa-4">
        <div class="head mb-2">
          <h2>{{ edited ? `Edit: ${networkName(edited)}` : "Add settings" }}</h2>
          <v-btn v-if="edited" size="small" variant="text" @click="edit(undefined)">Add others</v-btn>
        </div>
        <NetworkEditor
          :key="turn"
          :network="edited"
          :scope="asked ? 'api' : 'host'"
          :name="asked ?? ''"
          @saved="saved"
        />
      </v-card>
    </div>
  </div>
</template>

<style scoped>
td {
  overflow-wrap: anywhere;
}
.edit {
  margin-left: -12px;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
</style>
