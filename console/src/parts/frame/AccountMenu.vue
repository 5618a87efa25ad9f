<script setup lang="ts">
import { sessionRoutes } from "@copper-kettle/contract";
import { computed, onMounted, ref } from "vue";
import { useTheme } from "vuetify";
import { api, shared } from "../../api.js";
import { rememberTheme } from "../../theme.js";

/** Who is signed in, the way out, and light or dark. */
const theme = useTheme();
const who = ref("");
const isDark = computed(() => theme.global.name.value === "dark");
const initials = computed(() =>
  who.value
    .replace(/^\w+:/, "")
    .split(/[-\s]+/)
    .map((word) => word.slice(0, 1).toUpperCase())
    .slice(0, 2)
    .join(""),
);

onMounted(async () => {
  who.value = (await api.call(sessionRoutes.session).catch(() => ({ as: "" }))).as;
});
function turnTheme(): void {
  const next = isDark.value ? "light" : "dark";
  theme.change(next);
  rememberTheme(next);
}
async function signOut(): Promise<void> {
  await api.call(sessionRoutes.closeSession).catch(() => undefined);
  shared.ended = "out";
  shared.signedIn = false;
}
</script>

<template>
  <v-menu>
    <template #activator="{ props: menu }">
      <button type="button" class="who" v-bind="menu" :aria-label="`Account: ${who}`">
        {{ initials || "?" }}
      </button>
    </template>
    <v-list density="compact" min-width="220">
      <v-list-item :title="who" subtitle="is signed in" />
      <v-divider />
      <v-list-item :title="isDark ? 'Light theme' : 'Dark theme'" @click="turnTheme" />
      <v-list-item title="Documentation of the API" href="/api/openapi.json" target="_blank" />
      <v-list-item title="Sign out" @click="signOut" />
    </v-list>
  </v-menu>
</template>

<style scoped>
.who {
  width: 28px;
  height: 28px;
  margin: 0 12px;
  flex: none;
  border-radius: 50%;
  background: rgba(var(--v-theme-secondary), 0.16);
  color: rgb(var(--v-theme-success));
  font-size: 0.75rem;
  font-weight: 700;
}
</style>
