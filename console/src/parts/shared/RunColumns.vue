<script setup lang="ts">
/** The heads of a list of runs; with an order, those that can be ordered by are buttons. */
type Order = "newest" | "oldest" | "longest" | "most-calls" | "most-problems";
defineProps<{ withoutWorkflow?: boolean | undefined; order?: Order }>();
const emit = defineEmits<{ order: [order: Order] }>();
const sorted = (holds: boolean, way: "ascending" | "descending"): "none" | "ascending" | "descending" =>
  holds ? way : "none";
</script>

<template>
  <thead>
    <tr>
      <th v-if="order" :aria-sort="sorted(order === 'most-problems', 'descending')">
        <button type="button" @click="emit('order', order === 'most-problems' ? 'newest' : 'most-problems')">
          State{{ order === "most-problems" ? " ↓ problems" : "" }}
        </button>
      </th>
      <th v-else>State</th>
      <th v-if="!withoutWorkflow">Workflow</th>
      <th
        v-if="order"
        :aria-sort="order === 'oldest' ? 'ascending' : sorted(order === 'newest', 'descending')"
      >
        <button type="button" @click="emit('order', order === 'newest' ? 'oldest' : 'newest')">
          Created {{ order === "newest" ? "↓" : order === "oldest" ? "↑" : "" }}
        </button>
      </th>
      <th v-else>Created</th>
      <th class="wide">Began by</th>
      <th v-if="order" class="wide number" :aria-sort="sorted(order === 'longest', 'descending')">
        <button type="button" @click="emit('order', order === 'longest' ? 'newest' : 'longest')">
          Took {{ order === "longest" ? "↓" : "" }}
        </button>
      </th>
      <th v-else class="wide number">Took</th>
      <th v-if="order" class="wide number" :aria-sort="sorted(order === 'most-calls', 'descending')">
        <button type="button" @click="emit('order', order === 'most-calls' ? 'newest' : 'most-calls')">
          Calls {{ order === "most-calls" ? "↓" : "" }}
        </button>
      </th>
      <th v-else class="wide number">Calls</th>
      <th class="wide">What is to be known</th>
    </tr>
  </thead>
</template>

<style scoped>
button:hover {
  color: var(--copper);
}
</style>
