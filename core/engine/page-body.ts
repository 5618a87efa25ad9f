import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { EntryOf } from "./entries.js";

/** The body of a page with another value in the place of its items. A place that is not there leaves it as it is. */
export function withItemsAt(body: Json, [key, ...rest]: readonly string[], items: Json): Json {
  if (key === undefined) return items;
  if (!isObject(body)) return body;
  const copy: JsonObject = {};
  for (const name of Object.keys(body)) {
    const inner = own(body, name) as Json;
    setOwn(copy, name, name === key ? withItemsAt(inner, rest, items) : inner);
  }
  return copy;
}

/** The body of a response as it came: of a page, its items are stored once, and belong into it. */
export function bodyOfAttempt({ response, items, itemsAt }: EntryOf<"attempt">): Json {
  const body = response?.body ?? null;
  return items && itemsAt ? withItemsAt(body, itemsAt, items) : body;
}
