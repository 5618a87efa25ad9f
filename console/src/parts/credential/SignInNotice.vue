<script setup lang="ts">
import { sessionRoutes } from "@copper-kettle/contract";
import { ref } from "vue";
import { api, sentence, shared } from "../../api.js";
import CopyText from "../shared/CopyText.vue";

/** How one signs in; and if somebody was signed in before, why they are no more, and what became of what they typed. */
const emit = defineEmits<{ "signed-in": [] }>();
const link = ref("");
const fault = ref("");
const busy = ref(false);

async function open(): Promise<void> {
  const code = /(?:#code=|^)([\w-]{8,})$/.exec(link.value.trim())?.[1];
  if (code === undefined) {
    fault.value = "This is not a sign-in link. It ends with #code= and letters.";
    return;
  }
  busy.value = true;
  try {
    await api.call(sessionRoutes.openSession, { body: { code } });
    shared.signedIn = true;
    shared.ended = undefined;
    emit("signed-in");
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <div class="page notice">
    <h1>Sign in</h1>
    <v-alert v-if="shared.ended === 'over'" type="warning" title="Your session has ended">
      Sign in again and you are back on this page. What you typed into a workflow and did not save is kept in
      this browser.
    </v-alert>
    <v-alert v-else-if="shared.ended === 'out'" type="success">You are signed out.</v-alert>
    <p>
      The console opens with a link that works once, for ten minutes. On the machine that runs the service,
      type:
    </p>
    <div class="command"><CopyText text="ckettle status --link" label="Command" /></div>
    <p class="dim">
      With the demo or from a clone of the project:
      <span class="mono">node cli/bin/ckettle.mjs --data .demo status --link</span>
    </p>
    <form class="paste" @submit.prevent="open">
      <v-text-field
        v-model="link"
        label="Sign-in link"
        placeholder="Paste the link here, or open it"
        :error-messages="fault ? [fault] : []"
        autocomplete="off"
        @update:model-value="fault = ''"
      />
      <v-btn type="submit" color="primary" variant="flat" :loading="busy" :disabled="link.trim() === ''"
        >Sign in</v-btn
      >
    </form>
  </div>
</template>

<style scoped>
.notice {
  max-width: 600px;
  margin: 48px auto;
  display: grid;
  gap: 12px;
}
.command {
  padding: 8px 12px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: rgb(var(--v-theme-surface));
}
.paste {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 8px;
  align-items: start;
}
.paste .v-btn {
  height: 40px;
}
</style>
