import { isObject, type Json, type JsonObject } from "@copper-kettle/core";
import { ref } from "vue";

/** A list of objects that have the same fields, more or less: what reads well as a table. */
export interface LikeObjects {
  /** Where the list stands in the value: the empty text for the value itself. */
  at: string;
  rows: JsonObject[];
  columns: string[];
}

/** How bodies are shown: what somebody chose holds for the next response, too. */
export const bodyView = ref<"tree" | "table" | "raw">("tree");

/** So many rows are looked at for the names of the columns, and so many columns are shown. */
const mostLooked = 50;
const mostColumns = 12;

/** The list of like objects that a value is, or that one of its fields is; undefined where there is none. */
export function likeObjects(value: Json | undefined): LikeObjects | undefined {
  if (Array.isArray(value)) return asRows("", value);
  if (!isObject(value ?? null)) return undefined;
  for (const [name, inner] of Object.entries(value as JsonObject)) {
    const found = Array.isArray(inner) ? asRows(name, inner) : undefined;
    if (found) return found;
  }
  return undefined;
}

function asRows(at: string, list: Json[]): LikeObjects | undefined {
  if (list.length < 2 || !list.every(isObject)) return undefined;
  const looked = list.slice(0, mostLooked);
  const counts = new Map<string, number>();
  for (const row of looked) for (const key of Object.keys(row)) counts.set(key, (counts.get(key) ?? 0) + 1);
  // Fields that most have: else they are not alike.
  const common = [...counts.values()].filter((count) => count * 2 > looked.length).length;
  if (common === 0 || common * 2 < counts.size) return undefined;
  return { at, rows: list, columns: [...counts.keys()].slice(0, mostColumns) };
}
