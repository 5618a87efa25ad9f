import { isObject, type JsonObject } from "@copper-kettle/core";

/** The values of a run, and samples where it has none: of each step, each input, each variable. */
export function mergedScope(samples: JsonObject, real: JsonObject): JsonObject {
  const merged: JsonObject = { ...samples, ...real };
  for (const name of ["steps", "inputs", "variables"]) {
    const [sample, given] = [samples[name], real[name]];
    if (isObject(sample ?? null))
      merged[name] = { ...(sample as JsonObject), ...(given as JsonObject | undefined) };
  }
  return merged;
}

/** The values of a run with the constants of the catalogue: a run knows only those that it read. */
export function withConstants(constants: JsonObject, values: JsonObject): JsonObject {
  return { ...values, constants: { ...constants, ...(values["constants"] as JsonObject | undefined) } };
}
