import type { JsonObject } from "../values/json.js";
import type { Operation } from "./openapi.js";

/** The APIs that are described, as a check of a file sees them. */
export interface Catalogue {
  apis(): string[];
  /** The operations of an API; undefined if it is not described. */
  operations(api: string): Operation[] | undefined;
  /** The document of an API, in which references of its shapes lead on. */
  document?(api: string): JsonObject | undefined;
  /** The shape (JSON Schema) of what a trigger brings, where a sample of it is saved. */
  brought?(workflow: string, trigger: string): JsonObject | undefined;
}

/** An operation as a file names it: `stays.searchGuests`. Undefined if the text is none. */
export function operationName(text: string): { api: string; id: string } | undefined {
  const match = /^([a-z0-9](?:[a-z0-9-]*[a-z0-9])?)\.([A-Za-z0-9][A-Za-z0-9_.-]*)$/.exec(text);
  return match ? { api: match[1] as string, id: match[2] as string } : undefined;
}
