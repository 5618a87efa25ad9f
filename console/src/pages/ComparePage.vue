<script setup lang="ts">
import { byHandRoutes, type OutputOf } from "@copper-kettle/contract";
import { printForPeople, printJson } from "@copper-kettle/core";
import { computed, onMounted, ref } from "vue";
import { api, sentence } from "../api.js";
import { took } from "../logic/format.js";
import TimeText from "../parts/shared/TimeText.vue";
import StateMark from "../parts/shared/StateMark.vue";
import PageHead from "../parts/shared/PageHead.vue";

const props = defineProps<{ id: string; other: string }>();
const compared = ref<OutputOf<typeof byHandRoutes.compareRuns>>();
const all = ref(false);
const fault = ref("");

onMounted(async () => {
  try {
    compared.value = await api.call(byHandRoutes.compareRuns, {
      params: { id: props.id },
      query: { with: props.other },
    });
  } catch (error) {
    fault.value = sentence(error);
  }
});

type Step = NonNullable<typeof compared.value>["steps"][number];
const same = (step: Step): boolean =>
  step.differences.length === 0 && step.first === step.second && step.attempts[0] === step.attempts[1];
const steps = computed(() => (compared.value?.steps ?? []).filter((step) => all.value || !same(step)));
const alike = computed(() => (compared.value?.steps ?? []).filter(same).length);
const text = (value: unknown): string => (value === undefined ? "not there" : printJson(value));
const time = (millis: number | null): string => (millis === null ? "" : printForPeople(millis));
</script>

<template>
  <div class="page compare">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="!compared && !fault" indeterminate />
    <template v-if="compared">
      <PageHead
        times
        :title="`Two runs of ${compared.first.workflow}`"
        :up="[
          { title: 'Runs', to: '/runs' },
          { title: compared.first.id, to: `/runs/${compared.first.id}` },
        ]"
      >
        <template #actions>
          <v-checkbox v-model="all" label="Show steps without differences" density="compact" hide-details />
        </template>
      </PageHead>
      <v-card>
        <table class="lines" aria-label="The runs, step by step">
          <thead>
            <tr>
              <th></th>
              <th v-for="run in [compared.first, compared.second]" :key="run.id" class="side">
                <router-link class="mono" :to="`/runs/${run.id}`">{{ run.id }}</router-link>
                <div class="about">
                  <StateMark :state="run.state" />
                  <TimeText :at="run.createdAt" />
                  <span v-if="run.rehearsal" class="mark text-info">rehearsal</span>
                  <span>{{ run.version === 0 ? "draft" : `version ${run.version}` }}</span>
                  <span>{{ took(run) }}</span>
                  <span>{{ run.calls }} {{ run.calls === 1 ? "call" : "calls" }}</span>
                </div>
              </th>
            </tr>
          </thead>
          <tbody>
            <template v-for="step in steps" :key="step.path">
              <tr class="step">
                <td class="mono">{{ step.path || "the whole run" }}</td>
                <td>
                  {{ step.first ?? "did not run" }}
                  <span class="dim"
                    >{{ step.path === "" ? "" : time(step.took[0])
                    }}{{ step.attempts[0] > 1 ? `, ${step.attempts[0]} attempts` : "" }}</span
                  >
                </td>
                <td>
                  {{ step.second ?? "did not run" }}
                  <span class="dim"
                    >{{ step.path === "" ? "" : time(step.took[1])
                    }}{{ step.attempts[1] > 1 ? `, ${step.attempts[1]} attempts` : "" }}</span
                  >
                </td>
              </tr>
              <tr v-for="one in step.differences" :key="step.path + one.place">
                <td class="mono dim place">{{ one.place }}</td>
                <td class="mono first">{{ text(one.first) }}</td>
                <td class="mono second">{{ text(one.second) }}</td>
              </tr>
            </template>
          </tbody>
        </table>
        <p v-if="steps.length === 0" class="pa-3">
          No differences: every step has the same outcome, path and attempts.
        </p>
        <p v-if="!all && alike > 0" class="pa-3 dim">
          {{ alike === 1 ? "One step is alike." : `${alike} steps are alike.` }}
        </p>
      </v-card>
    </template>
  </div>
</template>

<style scoped>
.compare {
  display: grid;
  gap: 12px;
}
.side {
  width: 38%;
}
.about {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: center;
}
.step td {
  font-weight: 600;
}
.place {
  padding-left: 24px !important;
}
.first,
.second {
  overflow-wrap: anywhere;
  border-left: 3px solid transparent;
}
.first {
  border-left-color: rgb(var(--v-theme-primary));
}
.second {
  border-left-color: rgb(var(--v-theme-secondary));
}
</style>
