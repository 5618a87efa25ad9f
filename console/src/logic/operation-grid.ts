import { isObject, own, printJson, setOwn, type Json, type JsonObject } from "@copper-kettle/core";

/** A parameter or a field of the body, as a row of the grid. */
export interface GridRow {
  key: string;
  /** `query`, `header`, `path`, `cookie` or `body`. */
  place: string;
  name: string;
  title: string;
  required: boolean;
  default: Json | undefined;
  fixed: Json | undefined;
  choices: Json[];
  /** The value in the example: what it is fixed at. */
  example: Json | undefined;
  /** Where its schema stands in the operation. */
  at: string[];
}

/** Deeper fields are changed in the JSON. */
const deepest = 5;

/** The rows of an operation: what it refers to elsewhere in the document is changed there. */
export function gridRows(operation: JsonObject): GridRow[] {
  const parameters = Array.isArray(operation["parameters"]) ? operation["parameters"] : [];
  return [
    ...parameters.flatMap((raw, index): GridRow[] => {
      if (!isObject(raw) || raw["$ref"] !== undefined || raw["content"] !== undefined) return [];
      const schema = isObject(raw["schema"]) ? raw["schema"] : {};
      if (schema["$ref"] !== undefined) return [];
      const [place, name] = [String(raw["in"]), String(raw["name"])];
      const required = raw["required"] === true || place === "path";
      const at = ["parameters", String(index), "schema"];
      return [rowOf(schema, { place, name, required, example: raw["example"], at })];
    }),
    ...bodyRows(operation),
  ];
}

function bodyRows(operation: JsonObject): GridRow[] {
  const body = operation["requestBody"];
  const content = isObject(body) ? body["content"] : undefined;
  if (!isObject(content)) return [];
  const type = Object.keys(content).find((one) => /[/+]json\b|urlencoded/i.test(one));
  const media = type === undefined ? undefined : content[type];
  if (type === undefined || !isObject(media)) return [];
  const rows: GridRow[] = [];
  const walk = (schema: Json | undefined, example: Json | undefined, names: string[], at: string[]): void => {
    if (!isObject(schema) || schema["$ref"] !== undefined || names.length > deepest) return;
    const { properties, required } = schema;
    // Of a pasted request nothing is known but its body.
    const said = isObject(properties) ? properties : {};
    const shown = isObject(example) ? example : {};
    for (const name of new Set([...Object.keys(said), ...Object.keys(shown)])) {
      const inner = own(said, name) ?? {};
      if (!isObject(inner) || inner["$ref"] !== undefined) continue;
      const value = own(shown, name);
      const path = [...names, name];
      const here = [...at, "properties", name];
      const isNested = isObject(inner["properties"]) || (own(said, name) === undefined && isObject(value));
      if (isNested) walk(inner, value, path, here);
      else
        rows.push(
          rowOf(inner, {
            place: "body",
            name: path.join("."),
            required: Array.isArray(required) && required.includes(name),
            example: value,
            at: here,
          }),
        );
    }
  };
  walk(media["schema"] ?? {}, media["example"], [], ["requestBody", "content", type, "schema"]);
  return rows;
}

function rowOf(
  schema: JsonObject,
  { place, name, required, example, at }: Pick<GridRow, "place" | "name" | "required" | "example" | "at">,
): GridRow {
  const choices = Array.isArray(schema["enum"]) ? schema["enum"] : [];
  return {
    key: `${place} ${name}`,
    place,
    name,
    title: typeof schema["title"] === "string" ? schema["title"] : "",
    required,
    default: schema["default"],
    fixed: schema["const"],
    choices,
    example: example ?? schema["example"] ?? schema["default"] ?? schema["const"] ?? choices[0],
    at,
  };
}

/** The operation with some rows fixed at the value of their example; those without one stay open. */
export function withFixed(operation: JsonObject, rows: readonly GridRow[]): JsonObject {
  return rows.reduce(
    (made, { at, example }) =>
      example === undefined || example === null
        ? made
        : changedAt(sentAlways(made, at), at, (schema) => ({ ...schema, const: example })),
    operation,
  );
}

/** The objects around a field are required with it: else it would be sent only where they are given. */
function sentAlways(operation: JsonObject, at: readonly string[]): JsonObject {
  let made = operation;
  for (let end = at.length - 2; at[end - 2] === "properties"; end -= 2) {
    const name = at[end - 1] as string;
    made = changedAt(made, at.slice(0, end - 2), (schema) => {
      const required = Array.isArray(schema["required"]) ? schema["required"] : [];
      return required.includes(name) ? schema : { ...schema, required: [...required, name] };
    });
  }
  return made;
}

/** The operation with some rows open: whoever calls it gives their values. */
export function withOpen(operation: JsonObject, rows: readonly GridRow[]): JsonObject {
  return rows.reduce(
    (made, { at }) => changedAt(made, at, ({ const: _fixed, ...schema }) => schema),
    operation,
  );
}

/** The operation with another title for a row; an empty one goes. */
export function withTitle(operation: JsonObject, { at }: GridRow, title: string): JsonObject {
  return changedAt(operation, at, ({ title: _old, ...schema }) =>
    title.trim() === "" ? schema : { title: title.trim(), ...schema },
  );
}

function changedAt(
  holder: JsonObject,
  path: readonly string[],
  change: (schema: JsonObject) => JsonObject,
): JsonObject {
  const [key = "", ...rest] = path;
  const inner = own(holder, key);
  const next = (value: Json | undefined): Json => {
    if (rest.length === 0) return change(isObject(value) ? value : {});
    if (Array.isArray(value)) {
      const [index = "0", ...deeper] = rest;
      return value.map((item, at) =>
        at === Number(index) && isObject(item) ? changedAt(item, deeper, change) : item,
      );
    }
    return changedAt(isObject(value) ? value : {}, rest, change);
  };
  const made: JsonObject = { ...holder };
  setOwn(made, key, next(inner));
  return made;
}

/** A value as a cell shows it. */
export function cell(value: Json | undefined): string {
  return value === undefined ? "" : typeof value === "string" ? value : printJson(value);
}
