import { own, setOwn, type Json, type JsonObject } from "../../values/json.js";
import type { Value, ValueMap } from "../values.js";
import { keyCost } from "./collections.js";
import type { FunctionEntry } from "./entry.js";

const object = { name: "object", kinds: ["object"] as const };

export const objectFunctions: FunctionEntry[] = [
  {
    name: "keys",
    form: "both",
    parameters: [object],
    result: "list",
    help: "The keys of an object, in their order.",
    examples: [
      ['keys({"a": 1, "b": 2})', '["a","b"]'],
      ["keys({})", "[]"],
    ],
    call([value], context) {
      const keys = Object.keys(value as ValueMap);
      context.make(keys.length);
      context.step(keys.length);
      return keys;
    },
  },
  {
    name: "values",
    form: "both",
    parameters: [object],
    result: "list",
    help: "The values of an object, in the order of their keys.",
    examples: [
      ['values({"a": 1, "b": 2})', "[1,2]"],
      ["values({})", "[]"],
    ],
    call([value], context) {
      const values = Object.values(value as ValueMap);
      context.make(values.length);
      context.step(values.length);
      return values;
    },
  },
  {
    name: "merge",
    form: "both",
    parameters: [object, { name: "more", kinds: ["object"] }],
    result: "object",
    help: "One object out of two; where both have a key, the second counts.",
    examples: [
      ['merge({"a": 1, "b": 2}, {"b": 3})', '{"a":1,"b":3}'],
      ['{"a": 1}.merge({})', '{"a":1}'],
    ],
    call([first, second], context) {
      const merged: JsonObject = {};
      for (const source of [first, second] as JsonObject[]) {
        context.make(Object.keys(source).length);
        context.step(keyCost * Object.keys(source).length);
        for (const key of Object.keys(source)) setOwn(merged, key, own(source, key) as Json);
      }
      return merged as Value;
    },
  },
];
