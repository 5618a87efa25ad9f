<script setup lang="ts">
import { homeRoutes, type Attention, type OutputOf } from "@copper-kettle/contract";
import { computed, ref } from "vue";
import { api, sentence } from "../../api.js";
import { fromNow } from "../../logic/format.js";
import CredentialMark from "../shared/CredentialMark.vue";
import StateMark from "../shared/StateMark.vue";
import TimeText from "../shared/TimeText.vue";

/** What waits for a person, each with the one thing to do. */
type Home = OutputOf<typeof homeRoutes.home>;
const props = defineProps<{ home: Home; titles: ReadonlyMap<string, string> }>();
const emit = defineEmits<{ changed: [] }>();
const fault = ref("");
const count = computed(
  () =>
    props.home.attention.reduce((sum, one) => sum + one.count, 0) +
    props.home.more +
    props.home.credentials.length,
);

const titleOf = (workflow: string): string => props.titles.get(workflow) ?? workflow;
function headOf({ run }: Attention): string {
  if (run.state === "unsure") return `Was it carried out? ${run.unsure[0]?.reason ?? ""}`;
  if (run.state === "parked") return run.message ?? "The run is parked.";
  return run.error?.message ?? "The run failed.";
}
async function putAside({ run }: Attention): Promise<void> {
  try {
    await api.call(homeRoutes.putAside, { params: { name: run.workflow }, body: { run: run.id } });
    emit("changed");
  } catch (error) {
    fault.value = sentence(error);
  }
}
</script>

<template>
  <section class="card" aria-label="Needs you">
    <h2 class="title">
      Needs you <span class="dim">{{ count === 0 ? "" : count }}</span>
    </h2>
    <v-alert v-if="fault" type="error" class="ma-2">{{ fault }}</v-alert>
    <p v-if="count === 0" class="dim row">
      All clear. No unsure or parked runs, no failures in the last 24 hours that a later run has not made
      good, and no credential problems.
    </p>
    <ul>
      <li v-for="one in home.credentials" :key="one.name" class="row">
        <span class="state"><CredentialMark :state="one.state" :ends-soon="one.state === 'ready'" /></span>
        <span class="what">
          <b>{{ one.name }}</b> {{ one.sentence }}
          <span v-if="one.waiting > 0" class="dim">
            {{ one.waiting === 1 ? "One run waits for it." : `${one.waiting} runs wait for it.` }}
          </span>
        </span>
        <v-btn :to="`/credentials/${one.name}`" :aria-label="`Open the credential ${one.name}`">{{
          one.state.startsWith("sign-in") ? "Sign in" : "Open"
        }}</v-btn>
      </li>
      <li v-for="one in home.attention" :key="one.run.id" class="row">
        <span class="state"><StateMark :state="one.run.state" /></span>
        <span class="what">
          <b class="head-line">{{ headOf(one) }}</b>
          <span class="dim">
            {{ titleOf(one.run.workflow)
            }}<template v-if="one.run.error?.step"
              >, <span class="mono">{{ one.run.error.step }}</span></template
            >
            ·
            <TimeText :at="one.run.createdAt" />
            <template v-if="one.count > 1">
              ·
              <router-link :to="`/runs?workflow=${one.run.workflow}&state=failed`"
                >{{ one.count }} runs</router-link
              >
              since <TimeText :at="one.since" />
            </template>
            <template v-if="one.run.state === 'failed'">
              ·
              {{ one.lastGood ? `the last good one was ${fromNow(one.lastGood)}` : "none has succeeded yet" }}
            </template>
          </span>
        </span>
        <v-btn
          v-if="one.run.state === 'failed'"
          variant="text"
          :aria-label="`Put aside: the failures of ${one.run.workflow}`"
          title="Leaves it out here until it fails again"
          @click="putAside(one)"
          >Put aside</v-btn
        >
        <v-btn
          :to="`/runs/${one.run.id}`"
          :color="one.run.state === 'unsure' ? 'primary' : undefined"
          :variant="one.run.state === 'unsure' ? 'flat' : undefined"
          >{{ one.run.state === "unsure" ? "Decide" : "Open" }}</v-btn
        >
      </li>
    </ul>
    <p v-if="home.more > 0" class="row">
      <router-link to="/runs?state=unsure,parked,failed">and {{ home.more }} more</router-link>
    </p>
  </section>
</template>

<style scoped>
ul {
  list-style: none;
}
.row {
  display: flex;
  gap: 12px;
  align-items: center;
  padding: 8px 12px;
  border-top: 1px solid var(--line);
}
.state {
  width: 104px;
  flex: none;
}
.what {
  flex: 1;
  min-width: 0;
  overflow-wrap: anywhere;
}
.head-line {
  display: -webkit-box;
  -webkit-line-clamp: 2;
  -webkit-box-orient: vertical;
  overflow: hidden;
  font-weight: 600;
}
@media (max-width: 700px) {
  .row {
    flex-wrap: wrap;
  }
  .what {
    flex-basis: 100%;
    order: 3;
  }
}
</style>
