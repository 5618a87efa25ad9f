<script setup lang="ts">
import type { CallMessage } from "@copper-kettle/core";
import { shallowRef } from "vue";
import { ask } from "../../editor/asking.js";
import { useSession } from "../../editor/session.js";
import { whenSettled } from "../../editor/settled.js";
import BodyView from "../shared/BodyView.vue";

/** The HTTP message that the chosen call makes with the values at hand: its first line always, all of it on demand. */
const { document, line, scope, loops, showsValues } = useSession();
const message = shallowRef<CallMessage | null>(null);
let asked = 0;
whenSettled(
  document,
  line,
  () => [scope.values.value, loops.locals.value],
  async (at) => {
    const mine = ++asked;
    const made =
      at?.kind === "request" || at?.kind === "operation"
        ? await ask("message", { text: document.text.value, line: at.line }).catch(() => null)
        : null;
    if (mine === asked) message.value = made;
  },
);
</script>

<template>
  <div v-if="message" class="message mono" aria-label="The message it makes" role="group">
    <div class="first">
      <b>{{ message.method }}</b> {{ message.url }}
    </div>
    <p v-if="message.fault" class="text-warning sentence">
      {{ message.fault.field }}: {{ message.fault.message }}
    </p>
    <template v-if="showsValues">
      <div v-for="[name, value] in message.headers" :key="name">
        <span class="dim">{{ name }}:</span> {{ value }}
      </div>
      <div v-for="one in message.using" :key="one" class="dim sentence">authorized by {{ one }}</div>
      <BodyView v-if="message.body !== undefined" class="body" :body="message.body" as-text />
    </template>
  </div>
</template>

<style scoped>
.message {
  padding: 8px 12px;
  border-bottom: 1px solid var(--line);
  overflow-wrap: anywhere;
}
.sentence {
  font-family: var(--sans);
}
.body {
  margin-top: 6px;
}
</style>
