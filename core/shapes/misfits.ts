import { article } from "../expressions/evaluation.js";
import { isObject, own, type Json } from "../values/json.js";
import { ofSchema, type Shape } from "./shape.js";

const deepest = 8;
const most = 20;

/**
 * Where a value whose shape is known cannot fit a JSON Schema (2020-12): fields that it requires and that are never
 * there, and values of another kind. Where nothing is known, nothing is said.
 * @param at the place of the value, such as `body`
 */
export function misfits(shape: Shape, schema: Json | undefined, at: string): string[] {
  const found: string[] = [];
  look(shape, schema, at, deepest, found);
  return found.slice(0, most);
}

function look(shape: Shape, schema: Json | undefined, at: string, depth: number, found: string[]): void {
  if (depth === 0 || found.length >= most || !isObject(schema)) return;
  const wanted = ofSchema(schema);
  const { kinds } = shape;
  if (
    kinds &&
    wanted.kinds &&
    kinds.length > 0 &&
    wanted.kinds.length > 0 &&
    !kinds.some((one) => wanted.kinds?.includes(one))
  ) {
    found.push(
      `${at} is ${article(kinds[0] as "text")}, but the schema wants ${article(wanted.kinds[0] as "text")}.`,
    );
    return;
  }
  if (kinds?.length === 0 && shape.nullable && wanted.kinds && wanted.kinds.length > 0 && !wanted.nullable) {
    found.push(`${at} is null, but the schema wants ${article(wanted.kinds[0] as "text")}.`);
    return;
  }
  const { fields } = shape;
  const required = own(schema, "required");
  if (fields && !fields.open && Array.isArray(required))
    for (const name of required)
      if (typeof name === "string" && !fields.get(name))
        found.push(`${at} has no "${name}", which the schema requires.`);
  const properties = own(schema, "properties");
  if (fields && isObject(properties))
    for (const [name, inner] of Object.entries(properties)) {
      const field = fields.get(name);
      if (field) look(field.shape, inner, `${at}.${name}`, depth - 1, found);
    }
  if (shape.items) look(shape.items(), own(schema, "items"), `${at}[]`, depth - 1, found);
}
