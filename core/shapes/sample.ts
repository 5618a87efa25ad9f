import type { Json, JsonObject } from "../values/json.js";
import { setOwn } from "../values/json.js";
import type { Kind } from "../expressions/values.js";
import type { Shape } from "./shape.js";

/** A sample has no more values than this, and is no deeper. */
const mostValues = 2_000;
const deepest = 8;

const plain: Partial<Record<Kind, Json>> = {
  text: "text",
  number: 1,
  boolean: true,
  timestamp: "2027-06-01T05:00:00Z",
  duration: "20m",
};

/**
 * A value of a shape, for people to look at before anything has run: the example of its schema where it has one, else the plainest;
 * lists have one item. Undefined where nobody knows of what kind it is.
 */
export function sampleOfShape(shape: Shape): Json | undefined {
  return sample(shape, 0, { values: mostValues });
}

function sample(shape: Shape, depth: number, left: { values: number }): Json | undefined {
  if (left.values-- <= 0 || depth > deepest) return undefined;
  const { kinds, fields, items, choices, example } = shape;
  if (example !== undefined) return example;
  if (choices && choices.length > 0) return choices[0];
  if (fields) {
    const made: JsonObject = {};
    for (const name of fields.names()) {
      const inner = fields.get(name);
      const value = inner && sample(inner.shape, depth + 1, left);
      if (value !== undefined) setOwn(made, name, value);
    }
    return made;
  }
  if (items) {
    const item = sample(items(), depth + 1, left);
    return item === undefined ? [] : [item];
  }
  if (kinds === undefined) return undefined;
  const [kind] = kinds;
  return kind === undefined ? null : plain[kind];
}
