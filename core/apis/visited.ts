import type { JsonObject } from "../values/json.js";

/**
 * Which shapes were looked at, and at which paths of a body: twice the same says nothing new, and a document of few lines
 * may name the same shapes a billion times.
 */
export class Visited {
  readonly #at = new Map<string, Set<JsonObject>>();
  #count = 0;

  /** @param most how many are looked at in all */
  constructor(readonly most = Number.POSITIVE_INFINITY) {}

  /** Whether a shape is still to be looked at there; notes that it is. */
  isNew(path: string, shape: JsonObject): boolean {
    let shapes = this.#at.get(path);
    if (!shapes) this.#at.set(path, (shapes = new Set()));
    if (shapes.has(shape) || this.#count >= this.most) return false;
    shapes.add(shape);
    this.#count++;
    return true;
  }
}
