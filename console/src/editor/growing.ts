import { computed, onBeforeUnmount, ref, watch, type ComputedRef } from "vue";

/** So many lines stand in one group, so many groups are there at once, and so many more come with each frame. */
const [perGroup, atOnce, eachFrame] = [20, 3, 3];

/**
 * A long list in groups: the first at once, and the others frame by frame, so that it can be read and used meanwhile. A
 * group whose lines are the same objects as before is the same object, too.
 */
export function useGrowing<T>(list: ComputedRef<readonly T[]>): ComputedRef<readonly (readonly T[])[]> {
  const count = ref(atOnce);
  let frame = 0;
  const groups = computed<readonly (readonly T[])[]>((before) =>
    Array.from({ length: Math.ceil(list.value.length / perGroup) }, (_, index) => {
      const group = list.value.slice(index * perGroup, (index + 1) * perGroup);
      const old = before?.[index];
      return old?.length === group.length && old.every((line, at) => line === group[at]) ? old : group;
    }),
  );
  const grow = (): void => {
    cancelAnimationFrame(frame);
    if (count.value >= groups.value.length) return;
    frame = requestAnimationFrame(() => {
      count.value += eachFrame;
      grow();
    });
  };
  watch(() => groups.value.length, grow, { immediate: true });
  onBeforeUnmount(() => cancelAnimationFrame(frame));
  return computed(() => groups.value.slice(0, count.value));
}
