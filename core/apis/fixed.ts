import { RequestRefused } from "../http/message.js";
import { isObject, own, printJson, setOwn, type Json, type JsonObject } from "../values/json.js";
import { deref, type Operation } from "./openapi.js";
import { Visited } from "./visited.js";

/** A schema is followed to this depth. */
const deepest = 32;

/**
 * The JSON body of an operation with every field in it that its schema fixes (`const`, JSON Schema 2020-12 section
 * 6.1.3), at any depth: such a field is sent by the service, whoever calls.
 * @param document the OpenAPI document, for references
 * @param value the body that was given; undefined if there is none
 * @returns undefined if there is none, and none is needed
 * @throws RequestRefused (`bad-request`) if a fixed field was given another value
 */
export function withFixedFields(
  document: JsonObject,
  { id, body }: Operation,
  value: Json | undefined,
): Json | undefined {
  const schema = body?.content.find(({ type }) => /[/+]json\b/i.test(type))?.schema;
  if (!schema || (value === undefined && !body?.required)) return value;
  const visited = new Visited();
  const put = (part: Json | undefined, given: Json, path: string, depth: number): Json => {
    const found = deref(document, part);
    if (!isObject(found) || depth > deepest || !visited.isNew(path, found)) return given;
    const whole = Array.isArray(found["allOf"])
      ? found["allOf"].reduce((made: Json, one) => put(one, made, path, depth + 1), given)
      : given;
    if (Array.isArray(whole)) {
      const { items } = found;
      return items === undefined
        ? whole
        : whole.map((item, index) => put(items, item, `${path}[${index}]`, depth + 1));
    }
    return isObject(whole) && isObject(found["properties"])
      ? putIn(found, found["properties"], whole, path, depth)
      : whole;
  };
  const putIn = (
    schemaOfAll: JsonObject,
    properties: JsonObject,
    given: JsonObject,
    path: string,
    depth: number,
  ): JsonObject => {
    const made: JsonObject = {};
    for (const key of Object.keys(given)) setOwn(made, key, own(given, key) as Json);
    const required = Array.isArray(schemaOfAll["required"]) ? schemaOfAll["required"] : [];
    for (const key of Object.keys(properties)) {
      const property = deref(document, own(properties, key));
      if (!isObject(property)) continue;
      const at = path === "" ? key : `${path}.${key}`;
      const before = own(given, key);
      const fixed = property["const"];
      if (fixed !== undefined) {
        if (before !== undefined && printJson(before) !== printJson(fixed))
          throw new RequestRefused(
            "bad-request",
            `The field "${at}" of the body of ${id} is fixed to ${printJson(fixed)} and cannot be set.`,
          );
        setOwn(made, key, fixed);
      } else if (before !== undefined) setOwn(made, key, put(property, before, at, depth + 1));
      else if (required.includes(key) && isObject(property["properties"])) {
        const inner = put(property, {}, at, depth + 1);
        if (isObject(inner) && Object.keys(inner).length > 0) setOwn(made, key, inner);
      }
    }
    return made;
  };
  const made = put(schema, value ?? {}, "", 0);
  return value === undefined && isObject(made) && Object.keys(made).length === 0 ? undefined : made;
}
