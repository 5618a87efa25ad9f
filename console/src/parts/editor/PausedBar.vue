<script setup lang="ts">
import type { Json } from "@copper-kettle/core";
import { valueOfWords } from "@copper-kettle/core";
import { ref } from "vue";
import { useSession } from "../../editor/session.js";

/** A test that is paused: where, and how it goes on. A value may be changed before. */
const { pause } = useSession();
const changes = ref<Record<string, Json>>({});
const place = ref("");
const value = ref("");
const asks = ref(false);

function take(): void {
  const path = place.value.trim();
  if (path === "") return;
  changes.value = { ...changes.value, [path]: valueOfWords(value.value) };
  [place.value, value.value] = ["", ""];
}
function leave(path: string): void {
  const { [path]: _gone, ...rest } = changes.value;
  changes.value = rest;
}
async function goOn(next?: "step" | "item"): Promise<void> {
  take();
  await pause.goOn(changes.value, next);
  if (pause.fault.value === "") [changes.value, asks.value] = [{}, false];
}
defineExpose({ goOn });
</script>

<template>
  <section v-if="pause.at.value" class="card bar" aria-label="Paused">
    <div class="line">
      <b role="status">{{ pause.at.value.reason }}</b>
      <span class="buttons">
        <v-btn size="small" :disabled="pause.busy.value" title="F10" @click="goOn('step')">Next step</v-btn>
        <v-btn
          v-if="pause.at.value.isInLoop"
          size="small"
          :disabled="pause.busy.value"
          title="Shift+F10"
          @click="goOn('item')"
          >Next item</v-btn
        >
        <v-btn
          size="small"
          color="primary"
          variant="flat"
          :disabled="pause.busy.value"
          title="Ctrl+F10"
          @click="goOn()"
          >Continue</v-btn
        >
        <v-btn size="small" variant="text" :disabled="pause.busy.value" @click="asks = !asks"
          >Change a value …</v-btn
        >
        <v-btn size="small" variant="text" color="error" :disabled="pause.busy.value" @click="pause.stop()"
          >Stop</v-btn
        >
      </span>
    </div>
    <form v-if="asks" class="line" @submit.prevent="take">
      <v-text-field
        v-model="place"
        label="Path of a value"
        placeholder="steps.guest.body.id"
        class="mono"
        autocomplete="off"
      />
      <v-text-field v-model="value" label="New value: a text or JSON" class="mono" autocomplete="off" />
      <v-btn type="submit" size="small" :disabled="place.trim() === ''">Take it</v-btn>
    </form>
    <div v-if="Object.keys(changes).length > 0" class="line">
      <v-chip
        v-for="(one, path) in changes"
        :key="path"
        closable
        class="mono"
        @click:close="leave(String(path))"
        >{{ path }} = {{ JSON.stringify(one) }}</v-chip
      >
    </div>
    <v-alert v-if="pause.fault.value" type="error">{{ pause.fault.value }}</v-alert>
  </section>
</template>

<style scoped>
.bar {
  display: grid;
  gap: 8px;
  padding: 8px 12px;
  margin-bottom: 8px;
  border-left: 3px solid var(--copper);
}
.line {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-left: auto;
}
</style>
