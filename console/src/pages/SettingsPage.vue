<script setup lang="ts">
import { computed, defineAsyncComponent, type Component } from "vue";
import PageHead from "../parts/shared/PageHead.vue";
import PageSides from "../parts/shared/PageSides.vue";

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
const pages = computed(() =>
  parts.map((one) => ({
    to: one.name === "" ? "/settings" : `/settings/${one.name}`,
    title: one.title,
    isHere: one === here.value,
  })),
);
</script>

<template>
  <div class="page settings">
    <PageHead
      times
      help="service"
      :title="here?.title ?? 'There is no such page'"
      :tab="`${here?.title}, settings`"
      :up="[{ title: 'Settings', to: '/settings' }]"
    />
    <PageSides label="Settings" :pages="pages">
      <component :is="here.page" v-if="here" />
    </PageSides>
  </div>
</template>
