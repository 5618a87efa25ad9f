<script setup lang="ts">
import { computed, nextTick, ref, watch } from "vue";
import { useRoute, useRouter } from "vue-router";
import { helpPages, readHelp, searchHelp, type HelpFound, type HelpText } from "../logic/help.js";
import PageHead from "../parts/shared/PageHead.vue";
import PageSides from "../parts/shared/PageSides.vue";
import SearchField from "../parts/shared/SearchField.vue";

/** The documentation, with a search. */
const props = defineProps<{ page?: string }>();
const [route, router] = [useRoute(), useRouter()];
const text = ref<HelpText>();
const isNowhere = ref(false);
const search = ref("");
const found = ref<HelpFound[]>([]);
const place = ref<HTMLElement>();

const here = computed(() => props.page || "words");
const pages = computed(() =>
  helpPages.map(({ name, ...page }) => ({ ...page, to: `/help/${name}`, isHere: name === here.value })),
);
watch(
  here,
  async () => {
    const read = await readHelp(here.value);
    isNowhere.value = read === undefined;
    text.value = read;
    await toSection();
  },
  { immediate: true },
);
watch(() => route.hash, toSection);
async function toSection(): Promise<void> {
  await nextTick();
  const id = decodeURIComponent(route.hash.slice(1));
  if (id === "") place.value?.scrollTo(0, 0);
  else [...(place.value?.querySelectorAll("[id]") ?? [])].find((one) => one.id === id)?.scrollIntoView();
}
watch(search, async (wanted) => {
  const list = await searchHelp(wanted);
  if (wanted === search.value) found.value = list;
});
/** Links between the pages do not load the console again. */
function follow(event: MouseEvent): void {
  if (event.ctrlKey || event.metaKey || event.shiftKey) return;
  const href = (event.target as HTMLElement).closest("a")?.getAttribute("href");
  if (!href?.startsWith("/help/")) return;
  event.preventDefault();
  void router.push(href);
}
</script>

<!-- eslint-disable vue/no-v-html -- our own documentation, made into HTML when the console is built -->
<template>
  <div class="page">
    <PageHead :title="text?.title ?? 'Help'" :tab="text ? `${text.title}, help` : 'Help'">
      <template #actions>
        <SearchField v-model="search" label="Search the help" />
      </template>
    </PageHead>
    <PageSides label="Help" :pages="pages">
      <v-card class="pa-4">
        <div v-if="search" role="status">
          <p v-if="found.length === 0" class="dim">No section of the help has “{{ search }}” in it.</p>
          <ul v-else class="found">
            <li v-for="one in found" :key="`${one.page} ${one.id}`">
              <router-link :to="`/help/${one.page}#${one.id}`" @click="search = ''">{{
                one.title
              }}</router-link>
              <div class="dim">{{ one.around }}</div>
            </li>
          </ul>
        </div>
        <p v-else-if="isNowhere">The help has no page “{{ page }}”.</p>
        <article
          v-else
          ref="place"
          class="text"
          tabindex="0"
          aria-label="Text"
          @click="follow"
          v-html="text?.html ?? ''"
        ></article>
      </v-card>
    </PageSides>
  </div>
</template>

<style scoped>
.found {
  list-style: none;
  display: grid;
  gap: 10px;
}
.text {
  max-height: calc(100vh - 150px);
  overflow: auto;
}
.text :deep(> *) {
  max-width: 76ch;
}
.text :deep(.wide-table) {
  max-width: none;
  overflow-x: auto;
  margin: 8px 0;
}
.text :deep(h2) {
  margin: 22px 0 6px;
}
.text :deep(h3) {
  margin: 14px 0 4px;
}
.text :deep(p),
.text :deep(ul),
.text :deep(ol) {
  margin: 6px 0;
}
.text :deep(ul),
.text :deep(ol) {
  padding-left: 22px;
}
.text :deep(pre) {
  max-width: none;
  margin: 8px 0;
  padding: 8px 12px;
  border: 1px solid var(--line);
  border-radius: 4px;
  overflow-x: auto;
}
.text :deep(code) {
  font-family: var(--mono);
  font-size: 0.8125rem;
}
@media (max-width: 900px) {
  .text {
    max-height: none;
  }
}
</style>
