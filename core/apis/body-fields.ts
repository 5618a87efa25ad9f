import type { RequestBody } from "../http/build.js";
import { RequestRefused } from "../http/message.js";
import { bounds } from "../values/bounds.js";
import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import { choicesFromOf, type ChoicesFrom } from "./choices.js";
import type { Operation } from "./openapi.js";
import { deref, textAt } from "./references.js";
import { Visited } from "./visited.js";
import { ruleFault, ruleOf, type Rule } from "./rules.js";

/** A field of a described body, which a step may give by name like a parameter. */
export interface BodyField {
  /** By which a step gives it: its own name, or `body.` and its path where it is nested or a parameter has that name. */
  name: string;
  path: string[];
  title: string;
  about?: string;
  required: boolean;
  schema: JsonObject;
  default?: Json;
  choices?: Json[];
  example?: Json;
  /** Sent by the service, whoever calls (`const`). */
  fixed?: Json;
  rule?: Rule;
  choicesFrom?: ChoicesFrom;
}

/** A schema is followed to this depth. */
const deepest = 6;

/** So many shapes of one body are looked at. */
const mostShapes = 20_000;

const known = new WeakMap<Operation, BodyField[]>();

/** The fields of an operation's body, where it is a JSON object or a form; nested ones behind those that hold them. */
export function bodyFieldsOf(document: JsonObject, operation: Operation): BodyField[] {
  let fields = known.get(operation);
  if (!fields) known.set(operation, (fields = readFields(document, operation)));
  return fields;
}

/** The kind of body that fields by name make. */
function fieldsKind({ body }: Operation): "json" | "form" {
  const types = (body?.content ?? []).map(({ type }) => type);
  return !types.some((type) => /[/+]json\b/i.test(type)) && types.some((type) => /urlencoded/i.test(type))
    ? "form"
    : "json";
}

function readFields(document: JsonObject, operation: Operation): BodyField[] {
  const kind = fieldsKind(operation) === "json" ? /[/+]json\b/i : /urlencoded/i;
  const schema = operation.body?.content.find(({ type }) => kind.test(type))?.schema;
  const taken = new Set(operation.parameters.map(({ name }) => name));
  const fields: BodyField[] = [];
  const seen = new Set<string>();
  const visited = new Visited(mostShapes);
  const walk = (part: Json | undefined, path: string[], within: readonly JsonObject[]): void => {
    const found = deref(document, part);
    // A shape that holds itself has no last field.
    if (!isObject(found) || path.length >= deepest || within.includes(found)) return;
    if (!visited.isNew(path.join("\u0000"), found)) return;
    const inside = [...within, found];
    for (const one of Array.isArray(found["allOf"]) ? found["allOf"] : []) walk(one, path, inside);
    const { properties, required } = found;
    if (!isObject(properties)) return;
    for (const key of Object.keys(properties)) {
      const property = deref(document, own(properties, key));
      const at = [...path, key];
      if (!isObject(property) || seen.has(at.join("\u0000"))) continue;
      if (fields.length >= bounds.bodyFields) return;
      seen.add(at.join("\u0000"));
      const name = path.length === 0 && !taken.has(key) ? key : `body.${at.join(".")}`;
      fields.push(fieldOf(name, at, property, Array.isArray(required) && required.includes(key)));
      walk(property, at, inside);
    }
  };
  walk(schema, [], []);
  return fields;
}

function fieldOf(name: string, path: string[], schema: JsonObject, required: boolean): BodyField {
  const about = textAt(schema, "description");
  const { enum: choices, const: fixed, default: otherwise, example, examples } = schema;
  const shown = example ?? (Array.isArray(examples) ? examples[0] : undefined);
  const rule = ruleOf(schema);
  const choicesFrom = choicesFromOf(schema);
  return {
    name,
    path,
    title: textAt(schema, "title") ?? (path.at(-1) as string),
    required,
    schema,
    ...(about === undefined ? {} : { about }),
    ...(Array.isArray(choices) ? { choices } : {}),
    ...(otherwise === undefined ? {} : { default: otherwise }),
    ...(fixed === undefined ? {} : { fixed }),
    ...(shown === undefined ? {} : { example: shown }),
    ...(rule ? { rule } : {}),
    ...(choicesFrom ? { choicesFrom } : {}),
  };
}

/** The field that a name stands for; `body.` may stand before any of them. */
export function fieldNamed(fields: readonly BodyField[], name: string): BodyField | undefined {
  return (
    fields.find((field) => field.name === name) ??
    fields.find(({ path }) => name === `body.${path.join(".")}`)
  );
}

/** Given values, told apart: those of parameters, and those of fields of the body. */
export function toldApart(
  operation: Operation,
  fields: readonly BodyField[],
  given: JsonObject,
): { parameters: JsonObject; inBody: [BodyField, Json][] } {
  const names = new Set(operation.parameters.map(({ name }) => name));
  const parameters: JsonObject = {};
  const inBody: [BodyField, Json][] = [];
  for (const name of Object.keys(given)) {
    const field = names.has(name) ? undefined : fieldNamed(fields, name);
    if (field) inBody.push([field, own(given, name) as Json]);
    else setOwn(parameters, name, own(given, name) as Json);
  }
  return { parameters, inBody };
}

/**
 * A body with the fields that were given by name, each at its path; null leaves one out.
 * @throws RequestRefused (`bad-request`) where the body is no object there, or of another kind
 */
export function bodyWithFields(
  operation: Operation,
  before: RequestBody | undefined,
  fields: readonly [BodyField, Json][],
): RequestBody | undefined {
  if (fields.length === 0) return before;
  const kind = before ? (Object.keys(before)[0] as string) : fieldsKind(operation);
  if (kind !== "json" && kind !== "form")
    throw new RequestRefused(
      "bad-request",
      `${fields.map(([{ name }]) => name).join(", ")} cannot be put into a body of the kind ${kind}.`,
    );
  let whole: Json = before ? ((before as Record<string, Json>)[kind] as Json) : {};
  for (const [{ name, path }, value] of fields) if (value !== null) whole = putAt(whole, path, value, name);
  return { [kind]: whole } as RequestBody;
}

function putAt(holder: Json, path: readonly string[], value: Json, name: string): JsonObject {
  if (!isObject(holder))
    throw new RequestRefused("bad-request", `"${name}" cannot be put into the body: it is no object there.`);
  const [key = "", ...rest] = path;
  const made: JsonObject = { ...holder };
  setOwn(made, key, rest.length === 0 ? value : putAt(own(holder, key) ?? {}, rest, value, name));
  return made;
}

/** What is wrong with a whole body by the rules of its fields, each with the path of its field. */
export function bodyRuleFaults(
  { id }: Pick<Operation, "id">,
  fields: readonly Pick<BodyField, "path" | "title" | "rule">[],
  body: Json | undefined,
  now: number,
): { path: string[]; value: Json; message: string }[] {
  return fields.flatMap(({ path, title, rule }) => {
    let value: Json | undefined = body;
    for (const key of path) value = isObject(value) ? own(value, key) : undefined;
    if (!rule || value === undefined || value === null) return [];
    const otherwise = ruleFault(rule, value, now);
    if (otherwise === undefined) return [];
    const at = path.join(".");
    const message = `The field ${title === at ? `"${at}"` : `"${title}" (${at})`} of the body of ${id} is not taken: ${otherwise.replace(/\.?$/, ".")}`;
    return [{ path, value, message }];
  });
}
