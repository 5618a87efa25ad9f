<script setup lang="ts">
import { notificationsRoutes, type OutputOf } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { api, sentence } from "../../api.js";
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
const made = ref("");
const fault = ref("");
const said = ref<{ by: string; fault: string | null }[]>([]);
const busy = ref("");
const ways = [
  { value: "starttls", title: "STARTTLS" },
  { value: "from-the-start", title: "TLS" },
  { value: "none", title: "none (mail server on this machine)" },
];

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
    fault.value = sentence(error);
  } finally {
    busy.value = "";
  }
}
onMounted(() => act("load", async () => take(await api.call(notificationsRoutes.notifications))));

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
  });
const send = (): Promise<void> =>
  act("send", async () => {
    said.value = (await api.call(notificationsRoutes.tryNotifications)).sent;
  });
</script>

<template>
  <v-card class="pa-4 stack">
    <h2>Notifications</h2>
    <p class="dim">
      Sent when a run fails, becomes unsure or is parked, and when a credential stops working. One message per
      problem, not one per run.
    </p>
    <form class="stack" novalidate @submit.prevent="save">
      <h3>By webhook</h3>
      <v-text-field
        v-model="given.url"
        label="Webhook URL"
        placeholder="https://office.huts.example/hooks"
        autocomplete="off"
        hide-details
      />
      <SecretField
        v-if="given.url"
        v-model="given.secret"
        label="Signing secret (whsec_…). Leave empty to generate one."
        :saved="notifications?.webhook !== null"
      />
      <v-alert v-if="made" type="success" title="Signing secret, shown only once">
        <CopyText :text="made" label="Signing secret" />
      </v-alert>
      <h3>By mail</h3>
      <div class="mail">
        <v-text-field v-model="given.host" label="SMTP server" autocomplete="off" hide-details />
        <v-text-field v-model="given.port" label="Port" inputmode="numeric" hide-details />
        <v-select v-model="given.tls" :items="ways" label="Encryption" hide-details />
      </div>
      <div v-if="given.host" class="pair">
        <v-text-field v-model="given.user" label="User" autocomplete="off" hide-details />
        <SecretField
          v-model="given.password"
          label="Password"
          :saved="notifications?.mail?.user !== undefined"
        />
        <v-text-field v-model="given.from" label="From" placeholder="kettle@huts.example" hide-details />
        <v-text-field v-model="given.to" label="To, separated by commas" hide-details />
      </div>
      <v-textarea
        v-if="given.host && given.tls !== 'none'"
        v-model="given.authorities"
        class="mono"
        label="Authorities of the mail server to trust besides the usual ones, in PEM"
        rows="1"
        max-rows="8"
        auto-grow
        hide-details
      />
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
      <div class="d-flex ga-2">
        <v-btn type="submit" color="primary" variant="flat" :loading="busy === 'save'">Save</v-btn>
        <v-btn
          :disabled="!notifications?.webhook && !notifications?.mail"
          :loading="busy === 'send'"
          @click="send"
          >Send a test notification</v-btn
        >
      </div>
    </form>
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
