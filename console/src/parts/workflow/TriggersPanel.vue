<script setup lang="ts">
import {
  triggerEventsRoutes,
  triggersRoutes,
  type Trigger,
  type TriggerEvent,
} from "@copper-kettle/contract";
import type { Json } from "@copper-kettle/core";
import { onMounted, onUnmounted, ref, shallowRef, watch } from "vue";
import { api, sentence } from "../../api.js";
import { forgetShapes } from "../../logic/catalogue.js";
import { when } from "../../logic/format.js";
import CopyText from "../shared/CopyText.vue";
import LastLooks from "./LastLooks.vue";
import ProgramCalls from "./ProgramCalls.vue";
import JsonTree from "../shared/JsonTree.vue";

/** What begins runs of a workflow: each trigger with its next time, and the events that they brought. */
const props = defineProps<{ workflow: string; published: boolean; draft: boolean; newestRun: string }>();
const triggers = shallowRef<Trigger[]>([]);
const events = shallowRef<TriggerEvent[]>([]);
const more = ref(false);
const opened = ref("");
const fault = ref("");
const notice = ref("");
const asked = ref("");
const calls = ref(false);
/** What a poll would start that looked now. */
const looked = shallowRef<{ trigger: string; count: number }>();
/** The poll whose last looks are shown. */
const lastLooks = ref("");
const draftAddress = shallowRef<{ address: string; until: string }>();
/** While somebody waits for a delivery, events are looked for. */
let waiting: ReturnType<typeof setInterval> | undefined;
/** An event that is being made up, as JSON, with its trigger. */
const made = ref<{ trigger: string; text: string }>();

/** An address that was just made: it is shown once. */
const given = ref("");
const params = { name: props.workflow };

const isEmpty = (brought: unknown): boolean => Object.keys(brought as object).length === 0;

async function load(): Promise<void> {
  await guarded(async () => {
    triggers.value = (
      await api.call(triggersRoutes.listTriggers, { query: { workflow: props.workflow } })
    ).triggers;
    const page = await api.call(triggerEventsRoutes.listEvents, { params, query: { limit: 20 } });
    events.value = page.events;
    more.value = page.more;
  });
}
async function loadMore(): Promise<void> {
  await guarded(async () => {
    const before = events.value.at(-1)?.id ?? "";
    const page = await api.call(triggerEventsRoutes.listEvents, { params, query: { limit: 50, before } });
    events.value = [...events.value, ...page.events];
    more.value = page.more;
  });
}
async function switched(one: Trigger, on: boolean): Promise<void> {
  const done = await guarded(async () => {
    await api.call(triggersRoutes.switchTrigger, { params: { ...params, trigger: one.name }, body: { on } });
  });
  if (done) await load();
}
async function waitForDelivery(): Promise<void> {
  const done = await guarded(async () => {
    draftAddress.value = await api.call(triggerEventsRoutes.draftAddress, { params });
  });
  clearInterval(waiting);
  if (!done) return;
  const before = events.value[0]?.id ?? "";
  waiting = setInterval(() => {
    void load().then(() => {
      const [newest] = events.value;
      if (!newest || newest.id <= before) return;
      clearInterval(waiting);
      opened.value = newest.id;
    });
  }, 1_500);
}
async function keep(event: TriggerEvent): Promise<void> {
  const done = await guarded(async () => {
    await api.call(triggerEventsRoutes.keepEvent, { params: { id: event.id } });
    forgetShapes(props.workflow);
    notice.value = `Saved as the sample of ${event.trigger}: check and completion know what it brings.`;
  });
  if (done) await load();
}
function makeUp(event: TriggerEvent): void {
  made.value = { trigger: event.trigger, text: JSON.stringify(event.brought, undefined, 2) };
}
async function sendMade(): Promise<void> {
  const done = await guarded(async () => {
    const { trigger, text } = made.value ?? { trigger: "", text: "{}" };
    tell(
      await api.call(triggerEventsRoutes.makeUpEvent, {
        params,
        body: { trigger, brought: parsed(text) as never },
      }),
    );
    made.value = undefined;
  });
  if (done) await load();
}
function parsed(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch (error) {
    throw new Error(`This is not JSON: ${(error as Error).message}`, { cause: error });
  }
}
async function look(one: Trigger, start: boolean): Promise<void> {
  await guarded(async () => {
    const seen = await api.call(triggersRoutes.lookTrigger, {
      params: { ...params, trigger: one.name },
      body: { start },
    });
    looked.value = { trigger: one.name, count: seen.started ? 0 : seen.count };
    notice.value =
      seen.fault ??
      `${one.name} read ${seen.read} items; ${seen.count} of them start runs${seen.started ? " now" : ""}.`;
  });
}
async function now(one: Trigger): Promise<void> {
  const done = await guarded(async () =>
    tell(await api.call(triggersRoutes.fireTrigger, { params: { ...params, trigger: one.name } })),
  );
  if (done) await load();
}
async function renewed(one: Trigger): Promise<void> {
  if (one.address?.secret === "given" && asked.value !== one.name) {
    asked.value = one.name;
    return;
  }
  asked.value = "";
  const done = await guarded(async () => {
    const params_ = { ...params, trigger: one.name };
    given.value = (await api.call(triggersRoutes.replaceAddress, { params: params_, body: {} })).address;
  });
  if (done) await load();
}
async function resend(event: TriggerEvent, version: "published" | "draft"): Promise<void> {
  const done = await guarded(async () =>
    tell(await api.call(triggerEventsRoutes.resendEvent, { params: { id: event.id }, body: { version } })),
  );
  if (done) await load();
}
function tell(event: TriggerEvent): void {
  notice.value = event.state === "started" ? `Run ${event.run} started.` : `${event.state}: ${event.reason}`;
}
/** Does something that may fail; whether it did not. */
async function guarded(work: () => Promise<void>): Promise<boolean> {
  fault.value = "";
  try {
    await work();
    return true;
  } catch (error) {
    fault.value = sentence(error);
    return false;
  }
}
onMounted(load);
onUnmounted(() => clearInterval(waiting));
watch(() => [props.newestRun, props.published], load);
</script>

<template>
  <section class="triggers">
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert v-if="notice" type="info" closable @click:close="notice = ''">{{ notice }}</v-alert>
    <v-alert v-if="given" type="success" closable @click:close="given = ''">
      The address is shown once: <CopyText :text="given" label="The new address" />
    </v-alert>
    <p v-if="!published" class="dim">Not published yet. Triggers of a draft start nothing.</p>
    <p v-else-if="triggers.length === 0" class="dim">
      The published version has no triggers. Add some under <span class="mono">triggers:</span>, such as
      <span class="mono">nightly: { schedule: { cron: "0 5 * * *", zone: Europe/Vienna } }</span>.
    </p>
    <ul v-else class="list" aria-label="Triggers">
      <li v-for="one in triggers" :key="one.name">
        <div class="row">
          <strong>{{ one.name }}</strong>
          <span v-if="one.title" class="dim">{{ one.title }}</span>
          <v-spacer />
          <v-btn v-if="one.kind === 'schedule'" size="small" variant="text" @click="now(one)"
            >Start now</v-btn
          >
          <template v-if="one.kind === 'poll'">
            <v-btn
              v-if="looked?.trigger === one.name && looked.count > 0"
              size="small"
              @click="look(one, true)"
              >Start {{ looked.count }}</v-btn
            >
            <v-btn v-else size="small" variant="text" @click="look(one, false)">Look now</v-btn>
            <v-btn
              size="small"
              variant="text"
              :aria-expanded="lastLooks === one.name"
              @click="lastLooks = lastLooks === one.name ? '' : one.name"
              >Last looks</v-btn
            >
          </template>
          <v-btn
            v-if="one.kind !== 'by-hand'"
            size="small"
            :aria-label="`${one.on ? 'Switch off' : 'Off. Switch on'}: ${one.name}`"
            @click="switched(one, !one.on)"
            >{{ one.on ? "Switch off" : "Off. Switch on" }}</v-btn
          >
        </div>
        <div>
          {{ one.words }}<template v-if="one.next[0]">. Next: {{ when(one.next[0]) }}</template>
          <span v-else-if="one.kind === 'schedule' && one.on" class="dim">. There is no next time.</span>
        </div>
        <div v-if="one.looked" class="dim">
          Looked {{ when(one.looked.at) }}: {{ one.looked.fault ?? `${one.looked.read} items`
          }}{{ one.looked.heldBack > 0 ? `, held back: ${one.looked.heldBack}` : ""
          }}{{ one.looked.gone > 0 ? `, gone at once: ${one.looked.gone}` : "" }}
        </div>
        <LastLooks v-if="lastLooks === one.name" :workflow="workflow" :trigger="one.name" />
        <v-alert v-if="one.trouble" type="warning" density="compact">{{ one.trouble }}</v-alert>
        <template v-if="one.address">
          <CopyText v-if="one.address.secret === 'none'" :text="one.address.url" label="Its address" />
          <div v-else class="row">
            <span class="mono">{{ one.address.url }}/…</span>
            <span class="dim">{{
              one.address.secret === "given" ? "The rest was shown once." : "It has no address yet."
            }}</span>
            <v-btn size="small" @click="renewed(one)">{{
              asked === one.name ? "Replace it? Senders need the new one" : "New address"
            }}</v-btn>
          </div>
        </template>
      </li>
    </ul>
    <div>
      <v-btn size="small" variant="text" :aria-expanded="calls" @click="calls = !calls"
        >For other programs</v-btn
      >
    </div>
    <ProgramCalls v-if="calls" :workflow="workflow" />
    <h3 class="text-subtitle-1">Events</h3>
    <div class="row">
      <v-btn size="small" @click="waitForDelivery">Wait for a delivery to the draft</v-btn>
      <template v-if="draftAddress">
        <CopyText :text="draftAddress.address" label="Address of the draft" />
        <span class="dim">It holds until {{ when(draftAddress.until) }}; what comes shows below.</span>
      </template>
    </div>
    <p v-if="events.length === 0" class="dim">
      No events yet. A trigger that comes leaves one here, with what became of it.
    </p>
    <ul v-else class="list" aria-label="Events">
      <li v-for="event in events" :key="event.id">
        <div class="row">
          <span>{{ when(event.at) }}</span>
          <span class="dim">{{ event.trigger }}</span>
          <router-link v-if="event.runs > 1" :to="`/runs?event=${event.id}`"
            >{{ event.state }}, {{ event.runs }} runs</router-link
          >
          <router-link v-else-if="event.run" :to="`/runs/${event.run}`">{{ event.state }}</router-link>
          <strong v-else>{{ event.state }}</strong>
          <span v-if="event.version === 0" class="dim">draft</span>
          <span v-if="event.madeUp" class="dim">made up</span>
          <span v-if="event.sample" class="dim">sample</span>
          <v-spacer />
          <v-btn
            size="small"
            variant="text"
            :aria-expanded="opened === event.id"
            @click="opened = opened === event.id ? '' : event.id"
            >{{ opened === event.id ? "Close" : "Look" }}</v-btn
          >
        </div>
        <div v-if="event.reason" class="dim">{{ event.reason }}</div>
        <template v-if="opened === event.id">
          <p v-if="isEmpty(event.brought)" class="dim">It brought its time, and nothing else.</p>
          <div v-else class="brought"><JsonTree :value="event.brought as Json" /></div>
          <div class="row">
            <v-btn size="small" @click="resend(event, 'published')">Send through again</v-btn>
            <v-btn v-if="draft" size="small" @click="resend(event, 'draft')">Send to the draft</v-btn>
            <v-btn v-if="!event.sample" size="small" @click="keep(event)">Save as sample</v-btn>
            <v-btn v-if="draft" size="small" @click="makeUp(event)">Change and send to the draft</v-btn>
          </div>
          <template v-if="made">
            <v-textarea
              v-model="made.text"
              label="What it brings (JSON)"
              class="mono"
              rows="8"
              hide-details
            />
            <div class="row">
              <v-btn size="small" color="primary" @click="sendMade">Send it</v-btn>
              <v-btn size="small" variant="text" @click="made = undefined">Cancel</v-btn>
            </div>
          </template>
        </template>
      </li>
    </ul>
    <v-btn v-if="more" size="small" variant="text" @click="loadMore">Older events</v-btn>
  </section>
</template>

<style scoped>
.triggers {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
}
.list {
  list-style: none;
}
.list li {
  padding: 8px 10px;
  border-top: 1px solid var(--line);
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 4px;
  overflow-wrap: anywhere;
}
.row {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
}
.brought {
  max-height: 360px;
  overflow: auto;
}
</style>
