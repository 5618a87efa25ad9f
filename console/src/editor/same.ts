import { printJson, type Json } from "@copper-kettle/core";
import type { Ref } from "vue";

/**
 * Puts a value in the place of one only where it says something else: what is drawn from it is drawn again with every new object.
 * For values that are short.
 */
export function renew<T>(ref: Ref<T>, now: T): void {
  const print = (value: T): string =>
    printJson((value instanceof Set || value instanceof Map ? [...value] : value) as unknown as Json);
  if (print(ref.value) !== print(now)) ref.value = now;
}
