<script setup lang="ts">
import { homeRoutes, runsRoutes, type OutputOf, type Run } from "@copper-kettle/contract";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { fromNow, took } from "../logic/format.js";
import { onRunChange } from "../logic/live.js";
import { whyOf } from "../logic/run-words.js";
import { useTitles } from "../logic/titles.js";
import DriftTable from "../parts/api/DriftTable.vue";
import FirstSteps from "../parts/home/FirstSteps.vue";
import NeedsYou from "../parts/home/NeedsYou.vue";
import RunsOverTime from "../parts/home/RunsOverTime.vue";
import PageHead from "../parts/shared/PageHead.vue";
import StateMark from "../parts/shared/StateMark.vue";
import TimeText from "../parts/shared/TimeText.vue";

const home = ref<OutputOf<typeof homeRoutes.home>>();
const { titles, titleOf, read: readTitles } = useTitles();
const fault = ref("");
const today = new Date().toLocaleDateString([], {
  weekday: "long",
  day: "numeric",
  month: "long",
  year: "numeric",
});

async function load(): Promise<void> {
  try {
    home.value = await api.call(homeRoutes.home);
    fault.value = "";
  } catch (error) {
    fault.value = sentence(error);
  }
}
async function goOn(): Promise<void> {
  try {
    await api.call(runsRoutes.pause, { body: { paused: false } });
    await load();
  } catch (error) {
    fault.value = sentence(error);
  }
}
onMounted(async () => {
  await load();
  await readTitles();
});
onRunChange(() => void load());
/** What goes on: runs that are active, and those that wait. */
const active = computed<Run[]>(() =>
  [...(home.value?.running ?? []), ...(home.value?.next ?? [])].filter(
    (run, index, all) => all.findIndex(({ id }) => id === run.id) === index,
  ),
);
const unsure = computed(
  () => (home.value?.attention ?? []).filter(({ run }) => run.state !== "failed").length,
);
</script>

<template>
  <div class="page">
    <PageHead title="Home" times>
      <span class="dim">{{ today }}</span>
      <template #actions><v-btn to="/add-workflow">New workflow</v-btn></template>
    </PageHead>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!home && !fault" indeterminate />
    <template v-if="home">
      <v-alert v-if="home.undelivered" type="warning" title="Notifications do not arrive" class="mb-3">
        {{ home.undelivered }} <router-link to="/settings/notifications">Settings</router-link>
      </v-alert>
      <v-alert v-if="home.trouble" type="error" title="Runs cannot continue at the moment" class="mb-3">
        {{ home.trouble.message }} They wait, and continue by themselves as soon as they can.
      </v-alert>
      <v-alert v-if="home.paused" type="warning" title="All runs are paused" class="mb-3">
        No new run starts and no waiting run resumes. Runs that are active now finish.
        <div class="mt-2"><v-btn size="small" @click="goOn">Resume all runs</v-btn></div>
      </v-alert>
      <div class="two">
        <div class="column">
          <NeedsYou :home="home" :titles="titles" @changed="load" />
          <section class="card" aria-label="Waiting and running">
            <h2 class="title">Waiting and running</h2>
            <table v-if="active.length > 0" class="lines">
              <tbody>
                <tr v-for="run in active" :key="run.id" class="link">
                  <td class="text-no-wrap">
                    <router-link :to="`/runs/${run.id}`" class="whole"
                      ><StateMark :state="run.state" bare /> <b>{{ titleOf(run.workflow) }}</b><span
                        class="heard"
                      >
                        run {{ run.id }}</span
                      ></router-link
                    >
                  </td>
                  <td class="dim why">
                    <div class="cut">{{ whyOf(run) || run.state }}</div>
                  </td>
                  <td class="number text-no-wrap dim">{{ took(run) }}</td>
                </tr>
              </tbody>
            </table>
            <p v-else class="dim row">Nothing is running, and no run is waiting.</p>
          </section>
          <section v-if="home.drift.length > 0" class="card" aria-label="Changed responses">
            <h2 class="title">Changed responses</h2>
            <DriftTable :drift="home.drift" />
          </section>
        </div>
        <div class="column">
          <RunsOverTime :hours="home.hours" :unsure="unsure" :waiting="home.next.length" />
          <section class="card" aria-label="Starts next">
            <h2 class="title">Starts next</h2>
            <table v-if="home.starts.length > 0" class="lines">
              <tbody>
                <tr v-for="one in home.starts" :key="`${one.workflow} ${one.trigger}`">
                  <td class="text-no-wrap"><TimeText :at="one.at" /></td>
                  <td>
                    <router-link :to="`/workflows/${one.workflow}`">{{ titleOf(one.workflow) }}</router-link>
                  </td>
                  <td class="number dim text-no-wrap">{{ fromNow(one.at) }}</td>
                </tr>
              </tbody>
            </table>
            <p v-else class="dim row">No schedule is on.</p>
          </section>
          <FirstSteps :counts="home.firstSteps" />
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.two {
  --left: 2.1fr;
  --right: 1fr;
}
.row {
  padding: 10px 12px;
  border-top: 1px solid var(--line);
}
.why {
  max-width: 0;
  width: 60%;
}
</style>
