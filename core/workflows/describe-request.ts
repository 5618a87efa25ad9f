import type { Node } from "../expressions/parse.js";
import { references } from "../expressions/references.js";
import { bounds } from "../values/bounds.js";
import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import type { Workflow } from "./steps.js";
import type { ReadyTrigger } from "./triggers.js";

/** What a delivery has to bring, as far as the trigger's `inputs` say which part of it becomes which input. */
export function requestOf(
  workflow: Workflow,
  trigger: ReadyTrigger,
): { body: JsonObject | undefined; parameters: JsonObject[] } {
  const { inputs } = trigger;
  const parameters: JsonObject[] = [];
  const schemas = isObject(workflow.inputs?.["properties"]) ? workflow.inputs["properties"] : {};
  let body: JsonObject | undefined;
  const [, ...id] = (trigger.kind === "webhook" && placeOf(trigger.idOf?.tree)) || [];
  let item: JsonObject = id.length > 0 ? withField({ type: "object" }, id, {}, true) : {};
  for (const [name, value] of inputs && "entries" in inputs ? inputs.entries : []) {
    const tree = "template" in value ? value.template.alone?.tree : undefined;
    // A path that is not there refuses the delivery; one with a default may be absent.
    const needed = placeOf(tree) !== undefined;
    const [root, place, ...rest] = placeOf(tree) ?? placeWithDefault(tree) ?? [];
    if (root !== "trigger" || rest.length === 0) continue;
    const schema = own(schemas, name) ?? {};
    if (place === "item") item = withField({ ...item, type: "object" }, rest, schema, needed);
    else if (place === "body") body = withField(body ?? { type: "object" }, rest, schema, needed);
    else if (place === "query" || place === "headers")
      parameters.push({
        name: rest.join("."),
        in: place === "query" ? "query" : "header",
        required: needed,
        schema,
      });
  }
  for (const [[key = "", ...path], literal] of wantedIn(trigger.onlyIf?.tree, "body"))
    body = withField(body ?? { type: "object" }, [key, ...path], { const: literal }, true);
  return { body: withItems(body, item, trigger), parameters };
}

/** The body of a delivery that holds many: its list with what each item needs. */
function withItems(
  body: JsonObject | undefined,
  item: JsonObject,
  trigger: ReadyTrigger,
): JsonObject | undefined {
  const [root, place, ...rest] = (trigger.kind === "webhook" && placeOf(trigger.items?.tree)) || [];
  if (root !== "trigger" || place !== "body" || trigger.kind !== "webhook") return body;
  let each = item;
  for (const [path, literal] of wantedIn(trigger.onlyIf?.tree, "item"))
    each = withField({ ...each, type: "object" }, path, { const: literal }, true);
  const list: JsonObject = { type: "array", maxItems: bounds.deliveredItems, items: each };
  return rest.length === 0 ? list : withField(body ?? { type: "object" }, rest, list, true);
}

/** What `only-if` wants of parts of the body, or of an item: of a condition such as `trigger.body.type == "stay.booked" && …`. */
function wantedIn(tree: Node | undefined, of: "body" | "item"): [string[], Json][] {
  if (tree?.op === "and") return [...wantedIn(tree.left, of), ...wantedIn(tree.right, of)];
  if (tree?.op !== "binary" || tree.sign !== "==") return [];
  for (const [path, other] of [
    [tree.left, tree.right],
    [tree.right, tree.left],
  ] as const) {
    const [root, place, ...rest] = placeOf(path) ?? [];
    if (root === "trigger" && place === of && rest.length > 0 && other.op === "literal") {
      const { value } = other;
      if (typeof value === "string" || typeof value === "boolean" || typeof value === "number")
        return [[rest, value]];
      if (typeof value === "bigint") return [[rest, Number(value)]];
    }
  }
  return [];
}

/** The path that an expression is, where it is nothing but a path. */
function placeOf(tree: Node | undefined): string[] | undefined {
  if (!tree) return undefined;
  const [only, ...others] = references(tree);
  const whole = only && only.start === tree.start && only.end === tree.end;
  return whole && others.length === 0 && !only.path.includes("*") ? only.path : undefined;
}

/** The path in an expression that gives another value where it is absent: `default(path, …)`, `path.orValue(…)`. */
function placeWithDefault(tree: Node | undefined): string[] | undefined {
  if (tree?.op !== "call" || !["default", "orValue"].includes(tree.name)) return undefined;
  const [only, ...others] = references(tree);
  return only && others.length === 0 && !only.path.includes("*") ? only.path : undefined;
}

/** An object's schema with one more field, at any depth. */
function withField(
  schema: JsonObject,
  [key = "", ...rest]: string[],
  field: Json,
  needed: boolean,
): JsonObject {
  const properties = isObject(schema["properties"]) ? { ...schema["properties"] } : {};
  const before = own(properties, key);
  const inner =
    rest.length === 0
      ? field
      : withField(isObject(before) ? before : { type: "object" }, rest, field, needed);
  setOwn(properties, key, inner);
  const required = Array.isArray(schema["required"]) ? schema["required"] : [];
  return {
    ...schema,
    properties,
    ...(needed ? { required: [...new Set([...required, key])] } : {}),
  };
}
