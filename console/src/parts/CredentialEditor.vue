<script setup lang="ts">
import { routes } from "@copper-kettle/contract";
import { mdiPlus, mdiTrashCanOutline } from "@mdi/js";
import { computed, reactive, ref } from "vue";
import { api, fieldMessages, sentence } from "../api.js";
import { emptyForm, kinds, readCredential } from "../logic/credential-form.js";

const emit = defineEmits<{ kept: [name: string, removed: string[]] }>();
const form = reactive(emptyForm());
const faults = ref<Record<string, string>>({});
const fault = ref("");
const busy = ref(false);
const help = computed(() => kinds.find((kind) => kind.value === form.kind)?.help);
const places = ["header", "query", "cookie", "path", "body"];

async function keep(): Promise<void> {
  const read = readCredential(form);
  faults.value = { ...read.faults, ...(form.name ? {} : { name: "A name is needed; steps refer to it." }) };
  fault.value = "";
  if (Object.keys(faults.value).length > 0) return;
  busy.value = true;
  try {
    const { removed } = await api.call(routes.putCredential, {
      params: { name: form.name },
      body: read.input,
    });
    const { name } = form;
    Object.assign(form, emptyForm());
    emit("kept", name, removed);
  } catch (error) {
    faults.value = fieldMessages(error);
    if (
      !Object.keys(faults.value).some((field) =>
        /^(name|token|user|password|parts|secrets|scheme)/.test(field),
      )
    )
      fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <form class="editor" novalidate @submit.prevent="keep">
    <h2>Add or replace a credential</h2>
    <v-text-field
      v-model="form.name"
      label="Name"
      placeholder="stays-key"
      hint="a-z, 0-9 and dashes; what steps name in using"
      :error-messages="faults['name']"
      autocomplete="off"
    />
    <v-select v-model="form.kind" :items="kinds" label="Kind" :hint="help" persistent-hint />
    <v-text-field
      v-if="form.kind === 'bearer'"
      v-model="form.token"
      label="Token"
      type="password"
      autocomplete="new-password"
      :error-messages="faults['token']"
    />
    <template v-if="form.kind === 'basic' || form.kind === 'digest'">
      <v-text-field v-model="form.user" label="User" autocomplete="off" :error-messages="faults['user']" />
      <v-text-field
        v-model="form.password"
        label="Password"
        type="password"
        autocomplete="new-password"
        :error-messages="faults['password']"
      />
    </template>
    <template v-if="form.kind === 'api-key'">
      <div v-for="(part, index) in form.parts" :key="index" class="part">
        <v-select v-model="part.place" :items="places" label="Place" />
        <v-text-field
          v-model="part.name"
          label="Name there"
          :error-messages="faults[`parts.${index}.name`]"
        />
        <v-text-field v-model="part.prefix" label="Prefix" placeholder="Token" />
        <v-text-field
          v-model="part.secret"
          label="Key"
          type="password"
          autocomplete="new-password"
          :error-messages="faults[`parts.${index}.secret`]"
        />
        <v-btn
          v-if="form.parts.length > 1"
          icon
          variant="text"
          size="small"
          aria-label="Remove this part"
          @click="form.parts.splice(index, 1)"
          ><v-icon :icon="mdiTrashCanOutline" size="20"
        /></v-btn>
      </div>
      <div>
        <v-btn
          size="small"
          :prepend-icon="mdiPlus"
          @click="form.parts.push({ place: 'header', name: '', prefix: '', secret: '' })"
          >One more part</v-btn
        >
      </div>
    </template>
    <template v-if="form.kind === 'signed'">
      <div v-for="(item, index) in form.secrets" :key="index" class="pair">
        <v-text-field v-model="item.name" label="Name of the secret" />
        <v-text-field
          v-model="item.secret"
          label="Secret"
          type="password"
          autocomplete="new-password"
          :error-messages="faults[`secrets.${item.name}`]"
        />
      </div>
      <div>
        <v-btn size="small" :prepend-icon="mdiPlus" @click="form.secrets.push({ name: '', secret: '' })"
          >One more secret</v-btn
        >
      </div>
      <v-textarea
        v-model="form.scheme.base"
        class="mono"
        label="What is signed"
        rows="4"
        auto-grow
        :error-messages="faults['scheme.base']"
      />
      <v-text-field
        v-model="form.scheme.signature"
        class="mono"
        label="Signature (an expression over base and secret.NAME)"
        :error-messages="faults['scheme.signature']"
      />
      <v-textarea
        v-model="form.scheme.headers"
        class="mono"
        label="Headers that are set, one a line"
        rows="3"
        auto-grow
        :error-messages="faults['scheme.headers']"
      />
    </template>
    <v-text-field
      v-model="form.hosts"
      label="Hosts that it may be sent to"
      placeholder="stays.example"
      hint="Empty: any host. With a port where it is not the usual one."
    />
    <v-alert v-if="fault" type="error">{{ fault }}</v-alert>
    <div><v-btn type="submit" color="primary" variant="flat" :loading="busy">Keep</v-btn></div>
  </form>
</template>

<style scoped>
.editor {
  display: grid;
  gap: 12px;
}
.part {
  display: grid;
  grid-template-columns: 110px 1fr 110px 1fr auto;
  gap: 8px;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
@media (max-width: 700px) {
  .part,
  .pair {
    grid-template-columns: 1fr;
  }
}
</style>
