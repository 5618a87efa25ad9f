import { isObject, type Json } from "@copper-kettle/core";

/** How many items a list, or fields an object has; 0 for everything else. */
export function sizeOf(value: Json | undefined): number {
  if (Array.isArray(value)) return value.length;
  return isObject(value ?? null) ? Object.keys(value as object).length : 0;
}

/** The first so many items of a list or fields of an object, by their index or name: no more of it is read. */
export function firstMembers(value: Json | undefined, most: number): [string | number, Json][] {
  if (Array.isArray(value)) return value.slice(0, most).map((item, index) => [index, item]);
  return isObject(value ?? null) ? Object.entries(value as object).slice(0, most) : [];
}
