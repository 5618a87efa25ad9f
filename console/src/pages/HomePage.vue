<script setup lang="ts">
import { routes, type OutputOf } from "@copper-kettle/contract";
import { mdiCheckCircleOutline, mdiCircleOutline } from "@mdi/js";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { onRunChange } from "../logic/live.js";
import CredentialMark from "../parts/shared/CredentialMark.vue";
import DriftTable from "../parts/api/DriftTable.vue";
import RunsOverTime from "../parts/home/RunsOverTime.vue";
import RunTable from "../parts/shared/RunTable.vue";

const home = ref<OutputOf<typeof routes.home>>();
const fault = ref("");

async function load(): Promise<void> {
  try {
    home.value = await api.call(routes.home);
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function goOn(): Promise<void> {
  try {
    await api.call(routes.pause, { body: { paused: false } });
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(load);
onRunChange(() => void load());

const steps = computed(() => {
  const first = home.value?.firstSteps;
  if (!first) return [];
  return [
    {
      done: first.apis > 0,
      text: "Describe an API",
      how: "paste its OpenAPI document, or one request from its documentation",
      to: "/add-api",
    },
    {
      done: first.credentials > 0,
      text: "Add a credential",
      how: "every kind of key, with a check that says what is wrong",
      to: "/add-credential",
    },
    {
      done: first.tries > 0,
      text: "Try a call",
      how: "on the page of an operation",
      to: "/apis",
    },
    {
      done: first.workflows > 0,
      text: "Push a workflow",
      how: "ckettle workflow push greet-guest.copper-kettle.yaml",
      to: "/workflows",
    },
    {
      done: first.published > 0,
      text: "Publish it",
      how: "on its page, once it has no problems",
      to: "/workflows",
    },
    {
      done: first.runs > 0,
      text: "Start run",
      how: "on its page, with a form made from its inputs",
      to: "/runs",
    },
  ];
});
const fresh = computed(() => steps.value.some((step) => !step.done));
</script>

<template>
  <div class="page home">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!home && !fault" indeterminate />
    <template v-if="home">
      <v-alert v-if="home.undelivered" type="warning" title="Notifications do not arrive">
        {{ home.undelivered }} <router-link to="/settings">Settings</router-link>
      </v-alert>
      <v-alert v-if="home.trouble" type="error" title="Runs cannot continue at the moment">
        {{ home.trouble.message }} They wait, and continue by themselves as soon as they can.
      </v-alert>
      <v-alert v-if="home.paused" type="warning" title="All runs are paused">
        No new run starts and no waiting run resumes. Runs that are active now finish.
        <div class="mt-2"><v-btn size="small" @click="goOn">Resume all runs</v-btn></div>
      </v-alert>
      <v-card v-if="fresh" class="pa-4">
        <h2>First steps</h2>
        <ol class="steps">
          <li v-for="step in steps" :key="step.text">
            <v-icon
              :icon="step.done ? mdiCheckCircleOutline : mdiCircleOutline"
              :color="step.done ? 'success' : undefined"
              size="18"
            />
            <span>
              <router-link v-if="step.to" :to="step.to">{{ step.text }}</router-link>
              <template v-else>{{ step.text }}</template>
              <span class="dim"> – {{ step.done ? "done" : "" }}</span>
              <span v-if="!step.done" class="mono dim">{{ step.how }}</span>
            </span>
          </li>
        </ol>
      </v-card>
      <v-card class="pa-4">
        <h2>Needs you</h2>
        <table
          v-if="home.credentials.length > 0"
          class="lines needing mb-2"
          aria-label="Credentials that need you"
        >
          <tbody>
            <tr v-for="item in home.credentials" :key="item.name">
              <td class="text-no-wrap">
                <router-link :to="`/credentials/${item.name}`">{{ item.name }}</router-link>
              </td>
              <td><CredentialMark :state="item.state" :ends-soon="item.state === 'ready'" /></td>
              <td>
                {{ item.sentence }}
                <b v-if="item.waiting > 0">{{
                  item.waiting === 1 ? "One run waits for it." : `${item.waiting} runs wait for it.`
                }}</b>
              </td>
            </tr>
          </tbody>
        </table>
        <DriftTable v-if="home.drift.length > 0" :drift="home.drift" class="mb-2" />
        <RunTable
          v-if="home.attention.length > 0 || home.credentials.length + home.drift.length === 0"
          :runs="home.attention"
          empty="All clear. No failed, unsure or parked runs in the last 24 hours, no credential problems, no drift."
        />
      </v-card>
      <div class="two">
        <v-card class="pa-4">
          <h2>Running now</h2>
          <RunTable :runs="home.running" empty="Nothing is running." />
        </v-card>
        <v-card class="pa-4">
          <h2>Waiting</h2>
          <RunTable :runs="home.next" empty="No run is waiting." />
        </v-card>
      </div>
      <v-card class="pa-4">
        <h2 class="mb-2">Runs over the last day</h2>
        <RunsOverTime :hours="home.hours" />
      </v-card>
    </template>
  </div>
</template>

<style scoped>
.home {
  display: grid;
  gap: 14px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 14px;
}
.needing td:not(:last-child) {
  width: 1%;
}
.steps {
  list-style: none;
  padding: 8px 0 0;
  display: grid;
  gap: 6px;
}
.steps li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
