<script setup lang="ts">
import { runsRoutes, type Run } from "@copper-kettle/contract";
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, sentence } from "../api.js";
import { loadAhead } from "../logic/ahead.js";
import { onRunChange } from "../logic/live.js";
import { usePages } from "../logic/pages.js";
import { keepPlace, placeHere } from "../logic/place.js";
import DateField from "../parts/shared/DateField.vue";
import { useTitles } from "../logic/titles.js";
import PageHead from "../parts/shared/PageHead.vue";
import SearchField from "../parts/shared/SearchField.vue";
import RunCells from "../parts/shared/RunCells.vue";
import RunColumns from "../parts/shared/RunColumns.vue";

const route = useRoute();
const router = useRouter();
const states = [
  "queued",
  "running",
  "waiting",
  "succeeded",
  "failed",
  "stopped",
  "unsure",
  "parked",
  "skipped",
];
const orders = ["newest", "oldest", "longest", "most-calls", "most-problems"] as const;
type Order = (typeof orders)[number];
const asked = (name: string): string => String(route.query[name] ?? "");
const workflow = ref<string | null>(asked("workflow") || null);
const state = ref<string[]>(asked("state").split(",").filter(Boolean));
const text = ref(asked("text"));
const event = ref(asked("event"));
/** Days in the browser's zone. */
const since = ref(dayAsked("since"));
const until = ref(dayAsked("until"));
/** What stands in the address may be no day. */
function dayAsked(name: string): string {
  const text = asked(name);
  return /^\d{4}-\d\d-\d\d$/.test(text) && !Number.isNaN(Date.parse(text)) ? text : "";
}
const order = ref<Order>(orders.find((one) => one === asked("order")) ?? "newest");
const { titles, titleOf, read: readTitles } = useTitles();
const names = computed(() => [...titles.value.keys()]);
const fault = ref("");
const place = ref<HTMLElement>();
const rowHeight = 32;

/** What stands in the address of the page, so that it can be sent to somebody. */
function filter(): Record<string, string> {
  const given = {
    workflow: workflow.value ?? "",
    state: state.value.join(","),
    text: text.value ?? "",
    event: event.value,
    since: since.value ?? "",
    until: until.value ?? "",
    order: order.value === "newest" ? "" : order.value,
  };
  return Object.fromEntries(Object.entries(given).filter(([, value]) => value !== ""));
}
/** Midnight of a day in the browser's zone, some days later. */
function midnight(day: string, later = 0): string {
  const date = new Date(`${day}T00:00:00`);
  date.setDate(date.getDate() + later);
  return date.toISOString();
}
/** What the list is asked for now: a run that changes asks again for it, and not for what is being typed. */
let inForce = filter();
const pages = usePages<Run>(
  rowHeight,
  async (skip, limit) => {
    const { since: from, until: to, ...rest } = inForce;
    const { runs, total } = await api.call(runsRoutes.listRuns, {
      query: {
        ...rest,
        ...(from === undefined ? {} : { since: midnight(from) }),
        ...(to === undefined ? {} : { until: midnight(to, 1) }),
        skip,
        limit,
        counted: "true",
      },
    });
    fault.value = "";
    return { rows: runs, total: total ?? runs.length };
  },
  (error) => (fault.value = sentence(error)),
);
const { total, shown, above, below } = pages;

function onScroll(): void {
  if (!place.value) return;
  pages.top.value = place.value.scrollTop;
  pages.height.value = place.value.clientHeight;
  keepPlace(place.value.scrollTop);
}
loadAhead(() => import("./RunPage.vue"));
onMounted(async () => {
  const kept = placeHere();
  pages.top.value = kept;
  await pages.load();
  // Who comes back finds the list where it was: its length is known now. Who has scrolled meanwhile stays there.
  if (kept > 0 && shown.value.length === 0) await pages.load();
  await nextTick();
  if (place.value && kept > 0 && pages.top.value === kept) place.value.scrollTop = kept;
  await readTitles();
});
onRunChange(() => void pages.load());
let typing: ReturnType<typeof setTimeout> | undefined;
onBeforeUnmount(() => clearTimeout(typing));
watch([workflow, state, text, event, since, until, order], () => {
  clearTimeout(typing);
  typing = setTimeout(async () => {
    inForce = filter();
    await router.replace({ query: inForce });
    if (place.value) place.value.scrollTop = 0;
    void pages.load(true);
  }, 200);
});
</script>

<template>
  <div class="page">
    <PageHead title="Runs" times help="runs">
      <span v-if="total !== undefined" class="dim" role="status"
        >{{ total >= 10_000 ? "10,000 or more" : total.toLocaleString("en") }}
        {{ total === 1 ? "run" : "runs" }}</span
      >
    </PageHead>
    <div class="filters mb-3">
      <v-select v-model="workflow" :items="names" label="Workflow" placeholder="all" clearable />
      <v-select v-model="state" :items="states" label="State" placeholder="all" multiple clearable />
      <SearchField v-model="text" label="Id or error text" />
      <DateField v-model="since" label="From" />
      <DateField v-model="until" label="To" />
    </div>
    <v-chip v-if="event" closable class="mb-3" @click:close="event = ''"
      >Started by the event {{ event }}</v-chip
    >
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-progress-linear v-if="total === undefined && !fault" indeterminate />
    <v-card v-if="total !== undefined">
      <p v-if="total === 0" class="dim pa-3">No runs found.</p>
      <div
        v-else
        ref="place"
        class="rows"
        tabindex="0"
        aria-label="Runs"
        role="region"
        @scroll.passive="onScroll"
      >
        <table class="lines" :aria-rowcount="total">
          <RunColumns :order="order" @order="order = $event" />
          <tbody>
            <tr v-if="above > 0" aria-hidden="true" :style="{ height: `${above}px` }"></tr>
            <tr
              v-for="{ index, row } in shown"
              :key="row?.id ?? index"
              class="link"
              :aria-rowindex="index + 1"
            >
              <RunCells v-if="row" :run="row" :title="titleOf(row.workflow)" />
              <td v-else colspan="7" class="dim">…</td>
            </tr>
            <tr v-if="below > 0" aria-hidden="true" :style="{ height: `${below}px` }"></tr>
          </tbody>
        </table>
      </div>
    </v-card>
  </div>
</template>

<style scoped>
.filters {
  display: grid;
  grid-template-columns: minmax(0, 1.2fr) minmax(0, 1.2fr) minmax(0, 1.4fr) 150px 150px;
  gap: 12px;
  align-items: end;
}
.rows {
  max-height: calc(100vh - 170px);
  overflow: auto;
}
.rows thead {
  position: sticky;
  top: 0;
  z-index: 1;
  background: rgb(var(--v-theme-surface));
}
.link {
  position: relative;
  height: 32px;
}
.link :deep(td) {
  height: 32px;
  padding-top: 0;
  padding-bottom: 0;
  vertical-align: middle;
  line-height: 20px;
}
@media (max-width: 900px) {
  .filters {
    grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  }
  .rows {
    max-height: none;
  }
}
</style>
