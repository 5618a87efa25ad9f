<script setup lang="ts">
/** A page of several: the list of them on the left, the one that is chosen in the slot. */
defineProps<{
  label: string;
  pages: readonly { to: string; title: string; about?: string; isHere: boolean }[];
}>();
</script>

<template>
  <div class="sides">
    <nav :aria-label="label">
      <router-link
        v-for="one in pages"
        :key="one.to"
        :to="one.to"
        :title="one.about"
        :class="{ here: one.isHere }"
        :aria-current="one.isHere ? 'page' : undefined"
        >{{ one.title }}</router-link
      >
    </nav>
    <slot />
  </div>
</template>

<style scoped>
.sides {
  display: grid;
  grid-template-columns: 200px minmax(0, 1fr);
  gap: 16px;
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
