import { setOwn, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { Entry } from "./entries.js";
import type { RememberedValues } from "./ports.js";

/** Which remembered values the expressions of each step have read, until the step's *begun* entry records them. */
export class RememberedReads {
  readonly #byPath = new Map<string, RememberedValues>();

  /** An expression of a step has read the values of a key. */
  note(path: string, key: string, { values, masked }: RememberedValues): void {
    let read = this.#byPath.get(path);
    if (!read) this.#byPath.set(path, (read = { values: {}, masked: [] }));
    setOwn(read.values, key, values);
    read.masked.push(...masked.map((place): Path => [key, ...place]));
  }

  /** Puts what a step has read into its *begun* entry; what was read for any other entry is dropped. */
  takeInto(entry: Entry): void {
    if (!("path" in entry) || entry.path === undefined) return;
    const read = this.#byPath.get(entry.path);
    if (!read) return;
    this.#byPath.delete(entry.path);
    if (entry.type !== "begun") return;
    entry.data["remembered"] = read.values satisfies JsonObject;
    if (read.masked.length > 0)
      entry.masked = [
        ...(entry.masked ?? []),
        ...read.masked.map((place): Path => ["data", "remembered", ...place]),
      ];
  }
}
