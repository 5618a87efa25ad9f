<script setup lang="ts">
import { computed } from "vue";
import { useSession } from "../../editor/session.js";

/** Which item of each loop around the chosen line its values are of. */
const { loops, values } = useSession();
const chosen = computed(() =>
  loops.around.value.map((loop, index) => {
    const size = loops.sizes.value[index];
    return {
      ...loop,
      size,
      item: size === undefined ? loop.item : Math.max(0, Math.min(loop.item, size - 1)),
    };
  }),
);
function set(loop: string, index: number, size: number | undefined): void {
  if (!Number.isInteger(index) || index < 0) return;
  values.setItem(loop, size === undefined ? index : Math.min(index, Math.max(0, size - 1)));
}
</script>

<template>
  <div v-for="loop in chosen" :key="loop.name" class="item">
    <button
      type="button"
      :disabled="loop.item === 0"
      :aria-label="`The item before, of ${loop.name}`"
      @click="set(loop.name, loop.item - 1, loop.size)"
    >
      ‹
    </button>
    <span class="mono">{{ loop.name }}[</span>
    <input
      type="number"
      min="0"
      :max="loop.size === undefined ? undefined : loop.size - 1"
      :value="loop.item"
      class="mono"
      :aria-label="`Item of ${loop.name}`"
      @change="set(loop.name, Number(($event.target as HTMLInputElement).value), loop.size)"
    />
    <span class="mono">]</span>
    <button
      type="button"
      :disabled="loop.size !== undefined && loop.item >= loop.size - 1"
      :aria-label="`The next item of ${loop.name}`"
      @click="set(loop.name, loop.item + 1, loop.size)"
    >
      ›
    </button>
    <span class="dim">{{ loop.size === undefined ? "" : `of ${loop.size}` }}</span>
  </div>
</template>

<style scoped>
.item {
  display: inline-flex;
  gap: 4px;
  align-items: center;
  white-space: nowrap;
}
button {
  padding: 0 6px;
  color: var(--copper);
}
button:disabled {
  color: var(--dim);
}
input {
  width: 48px;
  padding: 1px 4px;
  border: 1px solid var(--line);
  border-radius: 4px;
  background: none;
  color: inherit;
  font: inherit;
}
</style>
