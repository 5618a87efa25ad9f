<script setup lang="ts">
import { notificationsRoutes, type OutputOf } from "@copper-kettle/contract";
import { computed, onMounted, ref } from "vue";
import { api, fieldMessages, sentence } from "../../api.js";
import { forgetMended } from "../../logic/faults.js";
import CopyText from "../shared/CopyText.vue";
import SecretField from "../shared/SecretField.vue";

/** Get who is notified when something needs a person, and how. */
const notifications = ref<OutputOf<typeof notificationsRoutes.notifications>>();
const given = ref({
  url: "",
  secret: "",
  host: "",
  port: "587",
  tls: "starttls" as "starttls" | "from-the-start" | "none",
  authorities: "",
  user: "",
  password: "",
  from: "",
  to: "",
});
/** Facts first; where there are none, the form. */
const editing = ref(false);
const isSet = computed(() => Boolean(notifications.value?.webhook ?? notifications.value?.mail));
const faults = ref<Record<string, string>>({});
const made = ref("");
const fault = ref("");
const said = ref<{ by: string; fault: string | null }[]>([]);
const busy = ref("");
forgetMended(faults, () => ({ ...given.value }));
const ways = [
  { value: "starttls", title: "STARTTLS" },
  { value: "from-the-start", title: "TLS" },
  { value: "none", title: "none (mail server on this machine)" },
];

const wayOf = (tls: string): string => ways.find(({ value }) => value === tls)?.title ?? tls;

function take(next: OutputOf<typeof notificationsRoutes.notifications>): void {
  notifications.value = next;
  given.value.url = next.webhook?.url ?? "";
  given.value.secret = given.value.password = "";
  const { mail } = next;
  given.value.host = mail?.host ?? "";
  given.value.port = String(mail?.port ?? 587);
  given.value.tls = mail?.tls ?? "starttls";
  given.value.authorities = mail?.authorities ?? "";
  given.value.user = mail?.user ?? "";
  given.value.from = mail?.from ?? "";
  given.value.to = (mail?.to ?? []).join(", ");
}

async function act(what: string, work: () => Promise<void>): Promise<void> {
  busy.value = what;
  fault.value = "";
  try {
    await work();
  } catch (error) {
    const messages = Object.entries(fieldMessages(error));
    // By the fields of the form: `webhook.url` is `url`, and one of several addresses is `to`.
    faults.value = Object.fromEntries(
      messages.map(([field, message]) => [
        field.replace(/^(webhook|mail)\./, "").replace(/\.\d+$/, ""),
        message,
      ]),
    );
    if (!Object.keys(faults.value).some((field) => field in given.value)) fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
onMounted(() =>
  act("load", async () => {
    take(await api.call(notificationsRoutes.notifications));
    editing.value = !isSet.value;
  }),
);
function cancel(): void {
  if (notifications.value) take(notifications.value);
  faults.value = {};
  fault.value = "";
  editing.value = false;
}

const save = (): Promise<void> =>
  act("save", async () => {
    said.value = [];
    const to = given.value.to.split(/[\s,;]+/).filter(Boolean);
    const saved = await api.call(notificationsRoutes.putNotifications, {
      body: {
        webhook: given.value.url
          ? { url: given.value.url.trim(), ...(given.value.secret ? { secret: given.value.secret } : {}) }
          : null,
        mail: given.value.host
          ? {
              host: given.value.host.trim(),
              port: Number(given.value.port),
              tls: given.value.tls,
              from: given.value.from.trim(),
              to,
              ...(given.value.authorities.trim() ? { authorities: given.value.authorities } : {}),
              ...(given.value.user ? { user: given.value.user } : {}),
              ...(given.value.password ? { password: given.value.password } : {}),
            }
          : null,
      },
    });
    made.value = saved.secret ?? "";
    take(saved);
    editing.value = !isSet.value;
  });
const send = (): Promise<void> =>
  act("send", async () => {
    said.value = (await api.call(notificationsRoutes.tryNotifications)).sent;
  });
</script>

<template>
  <v-card class="pa-4 stack">
    <p class="dim">
      Sent when a run fails, becomes unsure or is parked, and when a credential stops working. One message per
      problem, not one per run.
    </p>
    <v-alert v-if="made" type="success" title="Signing secret, shown only once">
      <CopyText :text="made" label="Signing secret" />
    </v-alert>
    <table v-if="isSet && !editing" class="lines" aria-label="Who is notified">
      <tbody>
        <tr v-if="notifications?.webhook">
          <th>By webhook</th>
          <td class="mono">{{ notifications.webhook.url }}</td>
        </tr>
        <tr v-if="notifications?.mail">
          <th>By mail</th>
          <td>
            to {{ notifications.mail.to.join(", ") }}
            <span class="dim">from {{ notifications.mail.from }} over</span>
            <span class="mono"> {{ notifications.mail.host }}:{{ notifications.mail.port }}</span>
            <span class="dim"> {{ wayOf(notifications.mail.tls) }}</span>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="editing" class="stack" novalidate @submit.prevent="save">
      <h3>By webhook</h3>
      <v-text-field
        v-model="given.url"
        label="Webhook URL"
        placeholder="https://office.huts.example/hooks"
        autocomplete="off"
        :error-messages="faults['url']"
      />
      <SecretField
        v-if="given.url"
        v-model="given.secret"
        label="Signing secret (whsec_…). Leave empty to generate one."
        :saved="notifications?.webhook !== null"
        :error-messages="faults['secret']"
      />
      <h3>By mail</h3>
      <div class="mail">
        <v-text-field
          v-model="given.host"
          label="SMTP server"
          autocomplete="off"
          :error-messages="faults['host']"
        />
        <v-text-field
          v-model="given.port"
          label="Port"
          inputmode="numeric"
          :error-messages="faults['port']"
        />
        <v-select v-model="given.tls" :items="ways" label="Encryption" />
      </div>
      <div v-if="given.host" class="pair">
        <v-text-field v-model="given.user" label="User" autocomplete="off" :error-messages="faults['user']" />
        <SecretField
          v-model="given.password"
          label="Password"
          :saved="notifications?.mail?.user !== undefined"
          :error-messages="faults['password']"
        />
        <v-text-field
          v-model="given.from"
          label="From"
          placeholder="kettle@huts.example"
          :error-messages="faults['from']"
        />
        <v-text-field v-model="given.to" label="To, separated by commas" :error-messages="faults['to']" />
      </div>
      <v-textarea
        v-if="given.host && given.tls !== 'none'"
        v-model="given.authorities"
        class="mono"
        label="Authorities of the mail server to trust besides the usual ones, in PEM"
        rows="1"
        max-rows="8"
        auto-grow
        :error-messages="faults['authorities']"
      />
      <div class="d-flex ga-2">
        <v-btn type="submit" color="primary" variant="flat" :loading="busy === 'save'">Save</v-btn>
        <v-btn v-if="isSet" @click="cancel">Cancel</v-btn>
      </div>
    </form>
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <v-alert
      v-for="one in said"
      :key="one.by"
      :type="one.fault ? 'error' : 'success'"
      :title="`By ${one.by}: ${one.fault ? 'it was not taken' : 'it was taken'}`"
      >{{ one.fault }}</v-alert
    >
    <p v-if="notifications && notifications.waiting > 0" class="text-warning">
      {{ notifications.waiting }} not delivered yet. {{ notifications.lastFault }}
    </p>
    <div v-if="isSet && !editing" class="d-flex ga-2">
      <v-btn @click="editing = true">Edit</v-btn>
      <v-btn :loading="busy === 'send'" @click="send">Send a test notification</v-btn>
    </div>
  </v-card>
</template>

<style scoped>
.stack {
  display: grid;
  gap: 10px;
}
.mail {
  display: grid;
  grid-template-columns: 2fr 1fr 2fr;
  gap: 10px;
}
</style>
