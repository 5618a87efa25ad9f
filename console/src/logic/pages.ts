import { computed, ref, shallowReactive, type ComputedRef, type Ref } from "vue";

/** So many rows are asked for at once, and so many stand above and below those that are seen. */
const size = 100;
const spare = 12;

/** A list of thousands of which only what is seen is read and drawn. All rows are of one height. */
export interface Pages<Row> {
  total: Ref<number | undefined>;
  /** Where the list is scrolled to, and how high its window is, in pixels. */
  top: Ref<number>;
  height: Ref<number>;
  /** What is drawn: rows that are not read yet are undefined. */
  shown: ComputedRef<{ index: number; row: Row | undefined }[]>;
  above: ComputedRef<number>;
  below: ComputedRef<number>;
  /** Reads again what is seen; with `anew` from the beginning. */
  load: (anew?: boolean) => Promise<void>;
}

export function usePages<Row>(
  rowHeight: number,
  read: (skip: number, limit: number) => Promise<{ rows: Row[]; total: number }>,
  failed: (error: unknown) => void,
): Pages<Row> {
  const total = ref<number>();
  const top = ref(0);
  const height = ref(700);
  const rows = shallowReactive(new Map<number, Row>());
  const asked = new Set<number>();
  let generation = 0;

  const from = computed(() => Math.max(0, Math.floor(top.value / rowHeight) - spare));
  const to = computed(() =>
    Math.min(total.value ?? 0, Math.ceil((top.value + height.value) / rowHeight) + spare),
  );
  const shown = computed(() =>
    Array.from({ length: Math.max(0, to.value - from.value) }, (_, offset) => {
      const index = from.value + offset;
      const row = rows.get(index);
      if (row === undefined) void page(Math.floor(index / size));
      return { index, row };
    }),
  );

  async function page(number: number): Promise<void> {
    if (asked.has(number)) return;
    asked.add(number);
    const mine = generation;
    try {
      const found = await read(number * size, size);
      if (mine !== generation) return;
      total.value = found.total;
      found.rows.forEach((row, offset) => rows.set(number * size + offset, row));
      for (let offset = found.rows.length; offset < size; offset++) rows.delete(number * size + offset);
    } catch (error) {
      failed(error);
    } finally {
      if (mine === generation) asked.delete(number);
    }
  }

  let reading: Promise<void> | undefined;
  let isStale = false;
  /** What is asked for again while it is being read is read once more after it, and not instead: a busy service would show nothing. */
  async function load(anew = false): Promise<void> {
    if (reading && !anew) return void (isStale = true);
    const mine = (reading = readSeen(anew));
    await mine;
    if (mine !== reading) return;
    reading = undefined;
    if (!isStale) return;
    isStale = false;
    await load();
  }

  async function readSeen(anew: boolean): Promise<void> {
    generation++;
    asked.clear();
    if (anew) {
      rows.clear();
      top.value = 0;
    }
    const first = Math.floor(from.value / size);
    const last = Math.floor(Math.max(from.value, to.value - 1) / size);
    for (const at of [...rows.keys()]) if (at < first * size || at >= (last + 1) * size) rows.delete(at);
    await Promise.all(Array.from({ length: last - first + 1 }, (_, offset) => page(first + offset)));
  }

  return {
    total,
    top,
    height,
    shown,
    above: computed(() => from.value * rowHeight),
    below: computed(() => Math.max(0, (total.value ?? 0) - to.value) * rowHeight),
    load,
  };
}
