import { computed, type ComputedRef, type Ref } from "vue";
import { useInAddress } from "./in-address.js";

/** What a list can be ordered by: a name for each, as in the address, and its value in a row; undefined comes last. */
export type Orders<T> = Record<string, (row: T) => string | number | undefined>;

export interface Sorting {
  /** The order in force; a minus says that the greatest comes first. */
  order: Ref<string>;
  /** Orders by a column; by the one that is in force, the other way round. */
  by: (key: string) => void;
}

const collator = new Intl.Collator("en", { numeric: true, sensitivity: "base" });

/** Rows in an order. Those that are equal in it stay as they were. */
export function inOrder<T>(rows: readonly T[], order: string, orders: Orders<T>): T[] {
  const value = orders[order.replace(/^-/, "")];
  if (!value) return [...rows];
  const way = order.startsWith("-") ? -1 : 1;
  return rows
    .map((row) => ({ row, of: value(row) }))
    .sort((a, b) => {
      if (a.of === undefined || b.of === undefined)
        return Number(a.of === undefined) - Number(b.of === undefined);
      if (typeof a.of === "number" && typeof b.of === "number") return way * (a.of - b.of);
      return way * collator.compare(String(a.of), String(b.of));
    })
    .map(({ row }) => row);
}

/**
 * A list that is ordered by the heads of its columns; the order stands in the address.
 * @param first the order in which the list begins
 * @param greatestFirst columns whose first click shows the greatest first
 */
export function useSorted<T>(
  rows: () => readonly T[],
  orders: Orders<T>,
  { first, greatestFirst = [] }: { first: string; greatestFirst?: readonly string[] },
): { sorting: Sorting; sorted: ComputedRef<T[]> } {
  const order = useInAddress("order", [first, ...Object.keys(orders).flatMap((key) => [key, `-${key}`])]);
  const by = (key: string): void => {
    const begins = greatestFirst.includes(key) ? `-${key}` : key;
    order.value = order.value !== begins ? begins : begins.startsWith("-") ? key : `-${key}`;
  };
  return { sorting: { order, by }, sorted: computed(() => inOrder(rows(), order.value, orders)) };
}
