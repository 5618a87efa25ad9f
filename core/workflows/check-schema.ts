import { linearRegex } from "../expressions/library/regexes.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import type { Path } from "../values/paths.js";
import type { Source } from "./source.js";

/** What keeps a value from being a JSON Schema, and where in it. */
interface SchemaFault {
  path: Path;
  message: string;
  /** A key that means nothing, and looks like one that does. */
  isWarning?: boolean;
}

/** The types of JSON Schema (validation section 6.1.1). */
export const schemaTypes = ["string", "number", "integer", "boolean", "object", "array", "null"];

type Rule = (value: Json, walk: (value: Json, ...path: Path) => void) => string | undefined;

const text: Rule = (value) => (typeof value === "string" ? undefined : "must be a text");
const truth: Rule = (value) => (typeof value === "boolean" ? undefined : "must be true or false");
const number: Rule = (value) => (typeof value === "number" ? undefined : "must be a number");
const count: Rule = (value) =>
  typeof value === "number" && Number.isInteger(value) && value >= 0
    ? undefined
    : "must be a whole number from 0";
const list: Rule = (value) => (Array.isArray(value) ? undefined : "must be a list");
const anything: Rule = () => undefined;
const schema: Rule = (value, walk) => {
  if (Array.isArray(value)) return "must be one schema, not a list of them";
  walk(value);
  return undefined;
};
const schemas: Rule = (value, walk) => {
  if (!Array.isArray(value) || value.length === 0) return "must be a list of schemas";
  value.forEach((one, index) => walk(one, index));
  return undefined;
};
const named: Rule = (value, walk) => {
  if (!isObject(value)) return "must be a mapping of names to schemas";
  for (const key of Object.keys(value)) walk(value[key] as Json, key);
  return undefined;
};
const names: Rule = (value) =>
  Array.isArray(value) && value.every((one) => typeof one === "string")
    ? undefined
    : "must be a list of names, and stands beside properties: required: [email]";

/** The keywords of JSON Schema (2020-12, core section 10 and validation section 6), and what each must be. */
const keywords: Record<string, Rule> = {
  type(value) {
    const wrong = [value].flat().find((one) => !schemaTypes.includes(String(one)));
    if (wrong === undefined) return undefined;
    const near = nearest(String(wrong), schemaTypes);
    return `must be one of ${schemaTypes.join(", ")}${near ? `; did you mean "${near}"?` : ""}`;
  },
  pattern(value) {
    if (typeof value !== "string") return "must be a text";
    try {
      linearRegex(value);
      return undefined;
    } catch {
      return "must be a regular expression (RE2)";
    }
  },
  ...each(schema, "items", "additionalProperties", "contains", "not", "if", "then", "else", "propertyNames"),
  ...each(schema, "unevaluatedProperties", "unevaluatedItems", "contentSchema"),
  ...each(schemas, "allOf", "anyOf", "oneOf", "prefixItems"),
  ...each(named, "properties", "patternProperties", "$defs", "definitions", "dependentSchemas"),
  ...each(names, "required"),
  ...each(list, "enum", "examples"),
  ...each(number, "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf"),
  ...each(count, "minLength", "maxLength", "minItems", "maxItems", "minProperties", "maxProperties"),
  ...each(count, "minContains", "maxContains"),
  ...each(
    text,
    "title",
    "description",
    "format",
    "$ref",
    "$id",
    "$schema",
    "$anchor",
    "$comment",
    "contentEncoding",
  ),
  ...each(text, "$dynamicRef", "$dynamicAnchor", "contentMediaType"),
  ...each(truth, "uniqueItems", "writeOnly", "readOnly", "deprecated"),
  ...each(anything, "const", "default", "example", "dependentRequired", "$vocabulary"),
};

/** The keywords that people write. */
export const schemaKeywords: readonly string[] = Object.keys(keywords).filter((key) => !key.startsWith("$"));

function each(rule: Rule, ...keys: string[]): Record<string, Rule> {
  return Object.fromEntries(keys.map((key) => [key, rule]));
}

/** What is wrong with a JSON Schema; each part of it is looked at once. */
function schemaFaults(value: Json): SchemaFault[] {
  const faults: SchemaFault[] = [];
  const walk = (part: Json, path: Path): void => {
    if (typeof part === "boolean") return;
    if (!isObject(part)) {
      const meant =
        typeof part === "string" && schemaTypes.includes(part) ? `, such as { type: ${part} }` : "";
      faults.push({ path, message: `A schema must be a mapping${meant}.` });
      return;
    }
    for (const key of Object.keys(part)) {
      const at = [...path, key];
      const rule = Object.hasOwn(keywords, key) ? keywords[key] : undefined;
      const fault = rule?.(part[key] as Json, (inner, ...more) => walk(inner, [...at, ...more]));
      if (fault !== undefined)
        faults.push({ path: at, message: `"${key}" ${fault}${fault.endsWith("?") ? "" : "."}` });
      else if (!rule) unknown(part, key, at);
    }
  };
  const unknown = (part: JsonObject, key: string, path: Path): void => {
    const near = key.startsWith("x-") ? undefined : nearest(key, Object.keys(keywords));
    if (near && !Object.hasOwn(part, near))
      faults.push({
        path,
        message: `"${key}" means nothing in a schema; did you mean "${near}"?`,
        isWarning: true,
      });
  };
  walk(value, []);
  return faults;
}

/** Reports what keeps `inputs`, or a schema of `responses`, from being one: nothing would start, or be answered. */
export function checkSchema(source: Source, value: Json, path: Path): void {
  if (isObject(value) && looksLikeNames(value)) {
    const [name = "email"] = Object.keys(value);
    const message = `This is a JSON Schema: { type: object, properties: { ${name}: { type: string } } }.`;
    return source.report(path, "schema", message);
  }
  for (const { path: within, message, isWarning } of schemaFaults(value))
    source.report([...path, ...within], "schema", message, undefined, isWarning ? "warning" : "error");
}

/** Whether a mapping is one of names to kinds, as people write it who do not know JSON Schema. */
function looksLikeNames(value: JsonObject): boolean {
  const keys = Object.keys(value);
  return keys.length > 0 && keys.every((key) => !Object.hasOwn(keywords, key) && !key.startsWith("x-"));
}
