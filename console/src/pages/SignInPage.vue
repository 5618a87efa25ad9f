<script setup lang="ts">
import { sessionRoutes } from "@copper-kettle/contract";
import { onMounted, ref } from "vue";
import { useRouter } from "vue-router";
import { api, sentence, shared } from "../api.js";
import SignInNotice from "../parts/credential/SignInNotice.vue";

const router = useRouter();
const fault = ref("");
const busy = ref(false);

onMounted(async () => {
  const code = new URLSearchParams(location.hash.slice(1)).get("code");
  if (!code) return;
  // The code goes out of the address before anything else can read it.
  history.replaceState(history.state, "", location.pathname);
  busy.value = true;
  try {
    await api.call(sessionRoutes.openSession, { body: { code } });
    shared.signedIn = true;
    shared.ended = undefined;
    await router.replace("/");
  } catch (error) {
    fault.value = sentence(error);
  } finally {
    busy.value = false;
  }
});
</script>

<template>
  <v-progress-linear v-if="busy" indeterminate />
  <template v-else>
    <v-alert v-if="fault" type="error" class="ma-4">{{ fault }}</v-alert>
    <SignInNotice @signed-in="router.replace('/')" />
  </template>
</template>
