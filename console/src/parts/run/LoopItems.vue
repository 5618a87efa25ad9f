<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { Row, RowState } from "../../logic/waterfall.js";

/** The items of a loop: what went wrong first, all of them by page, by state and by number. */
const props = defineProps<{ row: Row; version: number; chosen: number | undefined }>();
const emit = defineEmits<{ choose: [index: number] }>();
const perPage = 400;
const page = ref(0);
const only = ref<RowState | "">("");
const wanted = ref("");

/** Worst first: an item that failed must not be the one that nobody finds. */
const rank: Record<RowState, number> = {
  failed: 0,
  unsure: 1,
  waiting: 2,
  running: 3,
  skipped: 5,
  succeeded: 5,
};
const all = computed(() => {
  if (props.version < 0) return [];
  const cells = [...props.row.items].map(([index, state]) => ({ index, state }));
  return cells.sort((a, b) => rank[a.state] - rank[b.state] || a.index - b.index);
});
const counts = computed(() => {
  const found = new Map<RowState, number>();
  for (const { state } of all.value) found.set(state, (found.get(state) ?? 0) + 1);
  return [...found].sort(([a], [b]) => rank[a] - rank[b]);
});
const filtered = computed(() =>
  only.value ? all.value.filter(({ state }) => state === only.value) : all.value,
);
const pages = computed(() => Math.max(1, Math.ceil(filtered.value.length / perPage)));
const shown = computed(() => filtered.value.slice(page.value * perPage, (page.value + 1) * perPage));
watch([only, pages], () => (page.value = Math.min(page.value, pages.value - 1)));

function jump(): void {
  const index = Number(wanted.value);
  if (wanted.value.trim() === "" || !props.row.items.has(index)) return;
  only.value = "";
  page.value = Math.floor(all.value.findIndex((cell) => cell.index === index) / perPage);
  if (props.chosen !== index) emit("choose", index);
}
/** Few items have their numbers on them. */
const isNumbered = computed(() => all.value.length <= 60);
const shownCount = (count: number): string => count.toLocaleString("en");
</script>

<template>
  <div class="items" @click.stop>
    <div v-if="all.length > 12" class="bar">
      <v-btn-toggle v-model="only" density="compact" variant="outlined">
        <v-btn value="" size="x-small">all {{ shownCount(all.length) }}</v-btn>
        <v-btn v-for="[state, count] in counts" :key="state" :value="state" size="x-small"
          >{{ state }} {{ shownCount(count) }}</v-btn
        >
      </v-btn-toggle>
      <form class="jump" @submit.prevent="jump">
        <input
          v-model="wanted"
          inputmode="numeric"
          size="7"
          placeholder="Item …"
          aria-label="Go to item number"
        />
      </form>
      <template v-if="pages > 1">
        <v-btn size="x-small" variant="text" :disabled="page === 0" @click="page--">Before</v-btn>
        <span class="dim">{{ page + 1 }} of {{ pages }}</span>
        <v-btn size="x-small" variant="text" :disabled="page === pages - 1" @click="page++">Next</v-btn>
      </template>
    </div>
    <div class="cells">
      <button
        v-for="cell in shown"
        :key="cell.index"
        type="button"
        class="cell"
        :class="[cell.state, { chosen: chosen === cell.index, numbered: isNumbered }]"
        :aria-label="`Item ${cell.index}: ${cell.state}`"
        :title="`Item ${cell.index}: ${cell.state}`"
        @click="emit('choose', cell.index)"
      >
        {{ isNumbered ? cell.index : "" }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.items {
  grid-column: 1 / -1;
  display: grid;
  gap: 4px;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  align-items: end;
  gap: 8px;
  font-size: 0.8rem;
}
.jump input {
  border: 1px solid rgba(128, 128, 128, 0.5);
  border-radius: 4px;
  padding: 2px 6px;
  color: inherit;
  background: transparent;
}
.cells {
  display: flex;
  flex-wrap: wrap;
  gap: 2px;
}
.cell {
  width: 14px;
  height: 12px;
  border-radius: 2px;
  background: rgb(var(--v-theme-info));
}
.cell.numbered {
  width: auto;
  min-width: 20px;
  height: 18px;
  padding: 0 3px;
  font-size: 0.75rem;
  line-height: 18px;
  color: rgb(var(--v-theme-on-success));
}
.cell.numbered.failed,
.cell.numbered.unsure {
  clip-path: none;
}
.cell.numbered.waiting {
  color: inherit;
  background: none;
  outline: 1px dashed var(--dim);
  outline-offset: -1px;
}
.cell.succeeded {
  background: rgb(var(--v-theme-success));
}
.cell.failed {
  background: rgb(var(--v-theme-error));
  clip-path: polygon(0 0, 100% 0, 100% 100%, 50% 60%, 0 100%);
}
.cell.unsure {
  background: rgb(var(--v-theme-warning));
  clip-path: polygon(50% 0, 100% 50%, 50% 100%, 0 50%);
}
.cell.waiting {
  background: repeating-linear-gradient(-45deg, rgba(128, 128, 128, 0.7) 0 2px, transparent 2px 4px);
}
.cell.chosen {
  outline: 2px solid currentColor;
  outline-offset: 1px;
}
</style>
