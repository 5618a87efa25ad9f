<script setup lang="ts">
import {
  mdiCloudOutline,
  mdiCogOutline,
  mdiFormatListBulleted,
  mdiHomeOutline,
  mdiKeyOutline,
  mdiSourceBranch,
  mdiThemeLightDark,
} from "@mdi/js";
import { computed, watch } from "vue";
import { useRoute } from "vue-router";
import { useTheme } from "vuetify";
import { shared } from "./api.js";
import { when } from "./logic/format.js";
import { followService } from "./logic/live.js";
import SignInNotice from "./parts/credential/SignInNotice.vue";
import { rememberTheme } from "./theme.js";

const theme = useTheme();
const route = useRoute();
const bare = computed(() => route.name === "sign-in");
const pages = [
  { to: "/", title: "Home", icon: mdiHomeOutline },
  { to: "/apis", title: "APIs", icon: mdiCloudOutline },
  { to: "/credentials", title: "Credentials", icon: mdiKeyOutline },
  { to: "/workflows", title: "Workflows", icon: mdiSourceBranch },
  { to: "/runs", title: "Runs", icon: mdiFormatListBulleted },
  { to: "/settings", title: "Settings", icon: mdiCogOutline },
];

// Not before it is known which page this is: whoever signs in has no session yet.
watch(
  () => shared.signedIn && route.name !== undefined && !bare.value,
  (isIn) => isIn && followService(),
  { immediate: true },
);

function turnTheme(): void {
  const next = theme.global.name.value === "dark" ? "light" : "dark";
  theme.change(next);
  rememberTheme(next);
}
</script>

<template>
  <v-app>
    <v-app-bar flat density="compact" border="b" color="surface">
      <router-link to="/" class="brand" aria-label="Copper Kettle, home">
        <img src="/vessel.svg" alt="" width="24" height="24" />
        <span>Copper Kettle</span>
      </router-link>
      <nav v-if="!bare" class="nav" aria-label="Pages">
        <v-btn
          v-for="page in pages"
          :key="page.to"
          :to="page.to"
          :exact="page.to === '/'"
          :prepend-icon="page.icon"
          variant="text"
          size="small"
        >
          {{ page.title }}
        </v-btn>
      </nav>
      <v-spacer />
      <v-btn icon variant="text" size="small" aria-label="Change between light and dark" @click="turnTheme">
        <v-icon :icon="mdiThemeLightDark" size="20" />
      </v-btn>
    </v-app-bar>
    <v-main tabindex="-1">
      <v-alert v-if="shared.awaySince !== undefined && !bare" type="warning" class="away" role="status">
        The service does not respond, since {{ when(new Date(shared.awaySince).toISOString()) }}. What you see
        may be old; it is read again as soon as the service is back.
      </v-alert>
      <SignInNotice v-if="!shared.signedIn && !bare" />
      <router-view v-else :key="route.path" />
    </v-main>
  </v-app>
</template>

<style scoped>
.v-main:focus {
  outline: none;
}
.away {
  position: sticky;
  top: 48px;
  z-index: 5;
}
.brand {
  display: flex;
  align-items: center;
  gap: 8px;
  margin: 0 12px;
  font-weight: 600;
  text-decoration: none;
  color: inherit;
  white-space: nowrap;
}
.nav {
  display: flex;
  gap: 2px;
}
@media (max-width: 600px) {
  .brand span {
    display: none;
  }
  .brand {
    margin: 0 6px;
  }
  .nav :deep(.v-btn__prepend) {
    display: none;
  }
  .nav :deep(.v-btn) {
    min-width: 0;
    padding: 0 6px;
  }
}
</style>
