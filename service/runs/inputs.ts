import {
  bounds,
  Exact,
  isObject,
  linearRegex,
  type Json,
  type JsonObject,
  type Path,
} from "@copper-kettle/core";
import type { Ajv2020, ValidateFunction } from "ajv/dist/2020.js";
import type addFormats from "ajv-formats";
import { loadLate } from "../load-late.js";

/** A field of the inputs that is not as the workflow wants it. */
export interface InputFault {
  field: string;
  message: string;
}

let validator: Ajv2020 | undefined;

function compile(schema: JsonObject): ValidateFunction {
  if (!validator) {
    const ajv = loadLate<{ Ajv2020: typeof Ajv2020 }>("ajv/dist/2020.js");
    validator = new ajv.Ajv2020({
      allErrors: true,
      useDefaults: true,
      strict: false,
      coerceTypes: false,
      code: { regExp: linearPattern },
    });
    loadLate<typeof addFormats>("ajv-formats").default(validator, { mode: "fast" });
    // Ajv's own compares each item with each.
    validator.removeKeyword("uniqueItems");
    validator.addKeyword({
      keyword: "uniqueItems",
      type: "array",
      validate: (wanted: boolean, items: unknown[]) =>
        !wanted || new Set(items.map(canonical)).size === items.length,
      error: { message: "must NOT have the same item twice" },
    });
  }
  return validator.compile(schema);
}

/** Patterns of schemas run on RE2, in time that grows with the text and not with its tricks. */
const linearPattern = Object.assign(
  (source: string): { test(text: string): boolean; toString(): string } => {
    const pattern = linearRegex(source);
    // Ajv tells patterns apart by their text.
    return { test: (text) => pattern.test(text), toString: () => source };
  },
  { code: "linearPattern" },
);

/** One text for each JSON value, whatever the order of its keys (as in RFC 8785). */
function canonical(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonical).join(",")}]`;
  if (typeof value !== "object" || value === null) return JSON.stringify(value);
  const entries = Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1));
  return `{${entries.map(([key, inner]) => `${JSON.stringify(key)}:${canonical(inner)}`).join(",")}}`;
}

const compiled = new WeakMap<JsonObject, ValidateFunction>();

/** Checks inputs against a workflow's JSON Schema, and fills in its defaults. */
export function checkInputs(
  schema: JsonObject | undefined,
  given: JsonObject,
): { inputs: JsonObject; faults: InputFault[] } {
  if (!schema) {
    const faults = Object.keys(given).map((field) => ({
      field,
      message: `This workflow has no input "${field}".`,
    }));
    return { inputs: given, faults };
  }
  let validate = compiled.get(schema);
  if (!validate) {
    try {
      validate = compile(schema);
    } catch (error) {
      return {
        inputs: given,
        faults: [
          {
            field: "inputs",
            message: `The workflow's "inputs" are not a JSON Schema: ${(error as Error).message}`,
          },
        ],
      };
    }
    compiled.set(schema, validate);
  }
  const inputs = structuredClone(withDoubles(given)) as JsonObject;
  const faults = unknownInputs(schema, given);
  if (!validate(inputs)) {
    for (const error of (validate.errors ?? []).slice(0, bounds.notes)) {
      const missing = error.params["missingProperty"] as string | undefined;
      const field = [...error.instancePath.split("/").slice(1), ...(missing ? [missing] : [])].join(".");
      const choices = error.params["allowedValues"] as unknown[] | undefined;
      const message = missing
        ? `"${missing}" is missing.`
        : `"${field}" ${error.message}${choices ? `: ${choices.join(", ")}` : ""}.`;
      faults.push({ field, message });
    }
  }
  return { inputs: exactAgain(inputs, given) as JsonObject, faults };
}

/** An input that the schema does not name, unless the schema says something about further ones. */
function unknownInputs(schema: JsonObject, given: JsonObject): InputFault[] {
  const properties = schema["properties"];
  if (
    !isObject(properties) ||
    schema["additionalProperties"] !== undefined ||
    schema["patternProperties"] !== undefined
  )
    return [];
  const known = Object.keys(properties);
  return Object.keys(given)
    .filter((name) => !known.includes(name))
    .map((field) => ({
      field,
      message: `There is no input "${field}"; this workflow has ${known.join(", ")}.`,
    }));
}

/** The places of inputs that are secret: those with `writeOnly: true`. */
export function secretInputs(schema: JsonObject | undefined, base: Path = []): Path[] {
  if (!schema) return [];
  if (schema["writeOnly"] === true) return [base];
  const properties = schema["properties"];
  const inner = isObject(properties)
    ? Object.entries(properties).flatMap(([key, value]) =>
        isObject(value) ? secretInputs(value, [...base, key]) : [],
      )
    : [];
  const items = schema["items"];
  return isObject(items) ? [...inner, ...secretInputs(items, [...base, "*"])] : inner;
}

/** For schemas a number with many digits is its nearest double. */
function withDoubles(value: Json): unknown {
  if (value instanceof Exact) return Number(value.digits);
  if (Array.isArray(value)) return value.map(withDoubles);
  if (isObject(value))
    return Object.fromEntries(Object.entries(value).map(([key, inner]) => [key, withDoubles(inner)]));
  return value;
}

function exactAgain(checked: Json, given: Json): Json {
  if (given instanceof Exact) return given;
  if (Array.isArray(checked) && Array.isArray(given))
    return checked.map((item, index) =>
      index < given.length ? exactAgain(item, given[index] as Json) : item,
    );
  if (isObject(checked) && isObject(given)) {
    return Object.fromEntries(
      Object.entries(checked).map(([key, inner]) => [
        key,
        key in given ? exactAgain(inner, given[key] as Json) : inner,
      ]),
    );
  }
  return checked;
}
