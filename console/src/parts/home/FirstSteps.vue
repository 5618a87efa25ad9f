<script setup lang="ts">
import { mdiCheckCircleOutline, mdiCircleOutline } from "@mdi/js";
import { computed, ref } from "vue";
import { firstSteps } from "../../logic/first-steps.js";

/** A list for who is new here; one line, once three steps are done. */
const props = defineProps<{ counts: Parameters<typeof firstSteps>[0] }>();
const steps = computed(() => firstSteps(props.counts));
const done = computed(() => steps.value.filter((step) => step.done).length);
const next = computed(() => steps.value.find((step) => !step.done));
const isOpen = ref(false);
const isShort = computed(() => done.value >= 3 && !isOpen.value);
</script>

<template>
  <section v-if="next" class="card" aria-label="First steps">
    <p v-if="isShort" class="short">
      <b>First steps</b>
      <span class="dim">{{ done }} of {{ steps.length }} · next: </span>
      <router-link :to="next.to">{{ next.text }}</router-link>
      <button type="button" class="all" @click="isOpen = true">all</button>
    </p>
    <template v-else>
      <h2>First steps</h2>
      <ol>
        <li v-for="step in steps" :key="step.text">
          <v-icon
            :icon="step.done ? mdiCheckCircleOutline : mdiCircleOutline"
            :color="step.done ? 'success' : undefined"
            :aria-label="step.done ? 'done' : 'to do'"
            size="18"
          />
          <span>
            <router-link :to="step.to">{{ step.text }}</router-link>
            <span v-if="!step.done" class="dim"> – {{ step.how }}</span>
          </span>
        </li>
      </ol>
    </template>
  </section>
</template>

<style scoped>
.short,
ol {
  padding: 10px 14px;
}
h2 {
  padding: 10px 14px 0;
}
ol {
  list-style: none;
  display: grid;
  gap: 6px;
}
li {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.short {
  display: flex;
  gap: 6px;
  flex-wrap: wrap;
}
.all {
  margin-left: 8px;
  color: var(--copper);
  text-decoration: underline;
}
</style>
