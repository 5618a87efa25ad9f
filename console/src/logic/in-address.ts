import { ref, watch, type Ref } from "vue";
import { useRoute, useRouter } from "vue-router";

/**
 * One of several words that stands in the address of the page, so that it outlives a reload and can be sent to somebody.
 * @param words all that there are; the first is what an address without it means
 */
export function useInAddress<W extends string>(name: string, words: readonly [W, ...W[]]): Ref<W> {
  const [route, router] = [useRoute(), useRouter()];
  const { path } = route;
  const asked = (): W => words.find((word) => word === route.query[name]) ?? words[0];
  const word = ref(asked()) as Ref<W>;
  watch(word, (now) => {
    if (now === asked()) return;
    const { [name]: _, ...others } = route.query;
    void router.replace({ query: now === words[0] ? others : { ...others, [name]: now } });
  });
  // Who goes on to another page does not see this one change before.
  watch(
    () => route.query[name],
    () => route.path === path && (word.value = asked()),
  );
  return word;
}
