import { isObject, own, type Json, type JsonObject } from "../values/json.js";
import { valueAt, type Path } from "../values/paths.js";
import { shallowSteps, stepKinds, type StepKind } from "../workflows/document.js";
import { triggerKinds, triggerSchemas, type TriggerKind } from "../workflows/document-triggers.js";
import { addFieldAfter, setField, valueOfText } from "../workflows/edit.js";
import { withinStep } from "../workflows/fields.js";

/** The keys of the file, of a step or of a trigger in the order in which people write them. */
function keysAt(path: Path, holder: JsonObject): readonly string[] {
  if (path.length === 0) return fileKeys;
  if (path[0] === "triggers" && path.length === 2) {
    const kind = triggerKinds.find((one) => one in holder);
    return kind ? ["title", kind, ...keysOf(triggerSchemas[kind as TriggerKind])] : [];
  }
  const rest = withinStep(path);
  if (!rest || rest.length > 0) return [];
  const kind = stepKinds.find((one) => one in holder);
  if (!kind) return [];
  const all = keysOf(shallowSteps[kind as StepKind]);
  return [...first, kind, ...target, ...all, "steps", "catch"];
}
const first = ["step", "title", "about", "only-if"];
const target = [
  "as",
  "parallel",
  "parameters",
  "using",
  "query",
  "headers",
  "cookies",
  "body",
  "success",
  "then",
  "else",
];
const fileKeys = [
  "copper-kettle",
  "name",
  "title",
  "about",
  "inputs",
  "triggers",
  "limits",
  "responses",
  "steps",
];
const keysOf = (schema: { shape: object }): string[] =>
  Object.keys(schema.shape).filter((key) => key !== "steps" && key !== "catch");

/**
 * Sets a field. A new one of the file, a step or a trigger stands where people write it, and not behind all others.
 * @throws CannotEdit
 */
export function setInOrder(text: string, path: Path, value: Json): string {
  const root = valueOfText(text);
  // What it stands in may be new as well: the outermost new mapping is what has its place.
  const missing = path.findIndex((_key, index) => valueAt(root, path.slice(0, index + 1)) === undefined);
  const place = missing < 0 ? path : path.slice(0, missing + 1);
  const holder = valueAt(root, place.slice(0, -1));
  const key = place.at(-1);
  const inner = path.slice(place.length);
  if (
    missing < 0 ||
    !isObject(holder) ||
    typeof key !== "string" ||
    inner.some((one) => typeof one === "number")
  )
    return setField(text, path, value);
  const order = [...new Set(keysAt(place.slice(0, -1), holder))];
  const at = order.indexOf(key);
  const before = at < 0 ? undefined : order.slice(0, at).findLast((one) => own(holder, one) !== undefined);
  const made = inner.reduceRight<Json>((inside, one) => ({ [one]: inside }), value);
  return before === undefined ? setField(text, path, value) : addFieldAfter(text, place, made, before);
}
