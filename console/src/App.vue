<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { useRoute } from "vue-router";
import { shared } from "./api.js";
import { when } from "./logic/format.js";
import { followService } from "./logic/live.js";
import SignInNotice from "./parts/credential/SignInNotice.vue";
import AccountMenu from "./parts/frame/AccountMenu.vue";
import GlobalSearch from "./parts/frame/GlobalSearch.vue";

const route = useRoute();
const bare = computed(() => route.name === "sign-in");
const isIn = computed(() => shared.signedIn && route.name !== undefined && !bare.value);
/** Each page stands in a section, which the navigation marks. */
const pages = [
  { to: "/", title: "Home", section: /^\/$/ },
  { to: "/apis", title: "APIs", section: /^\/(apis|add-api)/ },
  { to: "/credentials", title: "Credentials", section: /^\/(credentials|add-credential)/ },
  { to: "/workflows", title: "Workflows", section: /^\/(workflows|add-workflow)/ },
  { to: "/runs", title: "Runs", section: /^\/runs/ },
  { to: "/settings", title: "Settings", section: /^\/(settings|network)/ },
  { to: "/help", title: "Help", section: /^\/help/ },
];

// Not before it is known which page this is: whoever signs in has no session yet.
watch(isIn, (now) => now && followService(), { immediate: true });

// On a phone not all of the navigation is in sight.
const nav = ref<HTMLElement>();
watch(
  [() => route.path, isIn],
  async () => {
    await nextTick();
    nav.value?.querySelector(".here")?.scrollIntoView({ block: "nearest", inline: "center" });
  },
  { immediate: true },
);

function toPage(): void {
  document.querySelector<HTMLElement>("main")?.focus();
}
const reload = (): void => window.location.reload();
</script>

<template>
  <v-app>
    <a v-if="isIn" class="skip" href="#page" @click.prevent="toPage">Go to the page</a>
    <v-app-bar flat height="44" border="b" color="surface">
      <router-link to="/" class="brand" aria-label="Copper Kettle, home">
        <img src="/vessel.svg" alt="" width="22" height="22" />
        <span>Copper Kettle</span>
      </router-link>
      <nav v-if="isIn" ref="nav" class="nav" aria-label="Pages">
        <router-link
          v-for="page in pages"
          :key="page.to"
          :to="page.to"
          :class="{ here: page.section.test(route.path) }"
          :aria-current="page.section.test(route.path) ? 'page' : undefined"
          >{{ page.title }}</router-link
        >
      </nav>
      <v-spacer />
      <template v-if="isIn">
        <GlobalSearch />
        <AccountMenu />
      </template>
    </v-app-bar>
    <v-main id="page" tabindex="-1">
      <v-alert v-if="shared.awaySince !== undefined && !bare" type="warning" class="away" role="status">
        The service does not respond, since {{ when(new Date(shared.awaySince).toISOString()) }}. What you see
        may be old; it is read again as soon as the service is back.
      </v-alert>
      <v-alert v-if="shared.unread" type="error" class="away" role="alert">
        The code of this page cannot be read, though the service responds. Reload the page. If that does not
        help, files of the console are missing from the service: install it again.
        <template #append><v-btn variant="outlined" @click="reload">Reload</v-btn></template>
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
.skip {
  position: fixed;
  top: -60px;
  left: 8px;
  z-index: 2000;
  padding: 6px 12px;
  background: rgb(var(--v-theme-surface));
  border: 1px solid var(--line);
}
.skip:focus {
  top: 6px;
}
.away {
  position: sticky;
  top: var(--bar);
  z-index: 5;
}
/* What was found hangs below the bar. */
.v-app-bar :deep(.v-toolbar__content) {
  overflow: visible;
}
.brand {
  display: flex;
  align-items: center;
  gap: 10px;
  margin: 0 14px 0 16px;
  font-weight: 700;
  text-decoration: none;
  color: inherit !important;
  white-space: nowrap;
}
.nav {
  display: flex;
  align-self: stretch;
  align-items: stretch;
  gap: 2px;
  min-width: 0;
  overflow-x: auto;
  scrollbar-width: thin;
}
.nav a {
  display: flex;
  align-items: center;
  padding: 0 10px;
  margin: 6px 0 5px;
  border-radius: 4px;
  border-bottom: 2px solid transparent;
  color: inherit !important;
  text-decoration: none;
  white-space: nowrap;
}
.nav a:hover {
  background: var(--soft);
}
.nav a.here {
  background: var(--soft);
  border-bottom-color: var(--copper);
  color: var(--copper) !important;
  font-weight: 600;
}
.nav a:focus-visible {
  outline-offset: -2px;
}
@media (max-width: 700px) {
  .brand span {
    display: none;
  }
  .brand {
    margin: 0 6px;
  }
  .nav a {
    padding: 0 7px;
  }
}
</style>
