<script setup lang="ts">
import { computed, defineAsyncComponent, type Component } from "vue";
import PageHead from "../parts/shared/PageHead.vue";

/** The settings, a page for each kind. */
const props = defineProps<{ part?: string }>();
const parts: { name: string; title: string; page: Component }[] = [
  {
    name: "",
    title: "Service and retention",
    page: defineAsyncComponent(() => import("../parts/settings/RetentionCard.vue")),
  },
  {
    name: "notifications",
    title: "Notifications",
    page: defineAsyncComponent(() => import("../parts/settings/NotificationsCard.vue")),
  },
  {
    name: "constants",
    title: "Constants",
    page: defineAsyncComponent(() => import("../parts/settings/ConstantsCard.vue")),
  },
  {
    name: "network",
    title: "Network",
    page: defineAsyncComponent(() => import("../parts/settings/NetworkCard.vue")),
  },
  {
    name: "traffic",
    title: "Traffic",
    page: defineAsyncComponent(() => import("../parts/settings/RateLimitsCard.vue")),
  },
  {
    name: "tokens",
    title: "Access tokens",
    page: defineAsyncComponent(() => import("../parts/settings/TokensCard.vue")),
  },
  {
    name: "activity",
    title: "Activity",
    page: defineAsyncComponent(() => import("../parts/settings/ActivityCard.vue")),
  },
];
const here = computed(() => parts.find(({ name }) => name === (props.part ?? "")));
const pathOf = (name: string): string => (name === "" ? "/settings" : `/settings/${name}`);
</script>

<template>
  <div class="page settings">
    <PageHead
      help="service"
      :title="here?.title ?? 'There is no such page'"
      :tab="`${here?.title}, settings`"
      :up="[{ title: 'Settings', to: '/settings' }]"
    />
    <div class="sides">
      <nav aria-label="Settings">
        <router-link
          v-for="one in parts"
          :key="one.name"
          :to="pathOf(one.name)"
          :class="{ here: one === here }"
          :aria-current="one === here ? 'page' : undefined"
          >{{ one.title }}</router-link
        >
      </nav>
      <component :is="here.page" v-if="here" />
    </div>
  </div>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: 190px minmax(0, 1fr);
  gap: 20px;
  align-items: start;
}
nav {
  display: grid;
  gap: 2px;
}
nav a {
  padding: 5px 10px;
  border-radius: 4px;
  color: inherit;
  text-decoration: none;
}
nav a:hover,
nav a.here {
  background: var(--soft);
}
nav a.here {
  color: var(--copper);
  font-weight: 600;
}
@media (max-width: 900px) {
  .sides {
    grid-template-columns: minmax(0, 1fr);
  }
  nav {
    display: flex;
    flex-wrap: wrap;
  }
}
</style>
