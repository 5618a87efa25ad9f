import { computed, onBeforeUnmount, ref, watch, type ComputedRef } from "vue";

/** So many lines are there at once, and so many more with each frame. */
const [atOnce, eachFrame] = [60, 60];

/** The first lines of a long list at once, and the others frame by frame: it can be read and used meanwhile. */
export function useGrowing<T>(list: ComputedRef<readonly T[]>): ComputedRef<readonly T[]> {
  const count = ref(atOnce);
  let frame = 0;
  const grow = (): void => {
    cancelAnimationFrame(frame);
    if (count.value >= list.value.length) return;
    frame = requestAnimationFrame(() => {
      count.value += eachFrame;
      grow();
    });
  };
  watch(() => list.value.length, grow, { immediate: true });
  onBeforeUnmount(() => cancelAnimationFrame(frame));
  return computed(() => list.value.slice(0, count.value));
}
