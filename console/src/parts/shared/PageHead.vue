<script setup lang="ts">
import { watchEffect } from "vue";
import { RouterLink } from "vue-router";
import { zone } from "../../logic/format.js";

/** The head of a page: the way up, its title, its name in mono beside it; both name the browser's tab, too. */
const props = defineProps<{
  title: string;
  name?: string;
  up?: { title: string; to: string }[];
  /** What the browser's tab says, where it is not the title. */
  tab?: string;
  /** Whether it shows times: their zone is said once, here. */
  times?: boolean;
  /** The page of the help about it, such as `apis#rate-limits`. */
  help?: string;
}>();
watchEffect(() => {
  if (props.title !== "") document.title = `${props.tab ?? props.title} · Copper Kettle`;
});
</script>

<template>
  <header class="page-head">
    <nav v-if="up && up.length > 0" class="crumbs" aria-label="The way here">
      <template v-for="(one, index) in up" :key="one.to"
        ><span v-if="index > 0" class="dim" aria-hidden="true"> › </span
        ><RouterLink :to="one.to">{{ one.title }}</RouterLink></template
      >
      <span v-if="times" class="dim zone">times in {{ zone }}</span>
    </nav>
    <div class="head">
      <h1>{{ title }}</h1>
      <span v-if="name && name !== title" class="mono dim">{{ name }}</span>
      <slot />
      <span v-if="times && !(up && up.length > 0)" class="dim">times in {{ zone }}</span>
      <RouterLink v-if="help" class="help" :to="`/help/${help}`" :aria-label="`Help: ${title}`" title="Help"
        >?</RouterLink
      >
      <span v-if="$slots['actions']" class="actions"><slot name="actions" /></span>
    </div>
    <slot name="below" />
  </header>
</template>

<style scoped>
.page-head {
  margin-bottom: 10px;
}
.crumbs {
  font-size: 0.875rem;
  line-height: 1.3;
}
.zone {
  float: right;
}
.crumbs a {
  text-decoration: none;
}
.crumbs a:hover {
  text-decoration: underline;
}
.help {
  flex: none;
  align-self: center;
  width: 20px;
  border: 1px solid var(--line);
  border-radius: 50%;
  color: var(--dim);
  font-size: 0.8125rem;
  line-height: 18px;
  text-align: center;
  text-decoration: none;
}
.help:hover {
  border-color: var(--copper);
  color: var(--copper);
}
.actions {
  display: flex;
  gap: 8px;
  align-items: center;
  flex-wrap: wrap;
  margin-left: auto;
}
.actions :deep(.v-text-field) {
  width: 260px;
}
</style>
