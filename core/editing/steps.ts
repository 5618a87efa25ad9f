import { isObject, type Json, type JsonObject } from "../values/json.js";
import { printPath, valueAt, type Path } from "../values/paths.js";
import { stepKinds } from "../workflows/document.js";
import {
  CannotEdit,
  insertItem,
  insertItemTexts,
  itemText,
  moveItem,
  removeField,
  removeItems,
  setField,
  valueOfText,
} from "../workflows/edit.js";
import { innerLists, innerListAt } from "../workflows/nested.js";
import { freeName } from "./names.js";
import { readsBelow } from "./reads.js";

/** Where a step stands or may stand: a list of steps, and a place in it. */
export interface StepPlace {
  list: Path;
  index: number;
}

/** A text after an edit, and where in it one goes on. */
export interface Edited {
  text: string;
  path: Path;
  /** What a person should know: names that were changed. For what is read in vain since see `brokenReads`. */
  notes: string[];
}

/** A step of a file with where it stands. */
export interface PlacedStep {
  step: JsonObject;
  path: Path;
  /** How deep it is nested: 0 for the steps of the file. */
  depth: number;
}

/** All steps of a file from top to bottom, those inside of others behind the one that holds them. */
export function stepsOf(value: Json): PlacedStep[] {
  const found: PlacedStep[] = [];
  const visit = (list: Json[], path: Path, depth: number): void => {
    for (const [index, step] of list.entries()) {
      if (!isObject(step)) continue;
      const at = [...path, index];
      found.push({ step, path: at, depth });
      for (const inner of innerLists(step)) visit(inner.list, [...at, ...inner.path], depth + 1);
    }
  };
  const steps = isObject(value) ? value["steps"] : undefined;
  if (Array.isArray(steps)) visit(steps, ["steps"], 0);
  return found;
}

/**
 * The place of a step by its name.
 * @throws CannotEdit if there is none
 */
export function placeOf(text: string, name: string): Path {
  const found = stepsOf(valueOfText(text)).find(({ step }) => step["step"] === name);
  if (!found) throw new CannotEdit(`There is no step "${name}".`);
  return found.path;
}

/** The names of all steps of a file. */
export const namesIn = (value: Json): Set<string> =>
  new Set(stepsOf(value).map(({ step }) => String(step["step"])));

/**
 * Adds a step. Its name, and those of steps inside of it, are made unique.
 * @throws CannotEdit
 */
export function addStep(text: string, { list, index }: StepPlace, step: JsonObject): Edited {
  const value = valueOfText(text);
  const taken = namesIn(value);
  const named = uniquely(step, taken) as JsonObject;
  const found = valueAt(value, list);
  const made =
    found === undefined || found === null
      ? setField(text, list, [named])
      : insertItem(text, list, index, named);
  return { text: made, path: [...list, Array.isArray(found) ? index : 0], notes: [] };
}

/** A step whose names are free, and taken from now on. */
function uniquely(step: Json, taken: Set<string>): Json {
  if (!isObject(step)) return step;
  const name = freeName(String(step["step"] ?? stepKindOf(step) ?? "step"), taken);
  taken.add(name);
  const copy: JsonObject = { step: name };
  for (const key of Object.keys(step)) if (key !== "step") copy[key] = step[key] as Json;
  return innerLists(copy).reduce<Json>(
    (made, { list, path }) =>
      withAt(
        made,
        path,
        list.map((inner) => uniquely(inner, taken)),
      ),
    copy,
  );
}

function withAt(value: Json, [key, ...rest]: Path, inner: Json): Json {
  if (key === undefined) return inner;
  if (Array.isArray(value))
    return value.map((item, index) => (index === key ? withAt(item, rest, inner) : item));
  if (!isObject(value)) return value;
  return { ...value, [key]: withAt(value[key] as Json, rest, inner) };
}

/** The kind of a step: the key that says it. */
export function stepKindOf(step: JsonObject): string | undefined {
  return stepKinds.find((kind) => kind in step && kind !== ("step" as never));
}

/**
 * Removes a step.
 * @throws CannotEdit if there is none
 */
export function removeStep(text: string, path: Path): Edited {
  const value = valueOfText(text);
  const step = valueAt(value, path);
  if (!isObject(step) || typeof path.at(-1) !== "number")
    throw new CannotEdit(`There is no step at ${printPath(path)}.`);
  const list = path.slice(0, -1);
  const siblings = valueAt(value, list) as Json[];
  // A branch that is optional goes with its last step.
  const isOptional = siblings.length === 1 && ["else", "catch"].includes(String(list.at(-1)));
  return {
    text: isOptional ? removeField(text, list) : removeItems(text, path),
    path:
      siblings.length > 1 ? [...list, Math.min(Number(path.at(-1)), siblings.length - 2)] : list.slice(0, -1),
    notes: [],
  };
}

/** The names of the steps that read one of some steps, those below a place left out. */
export function readersOf(value: Json, names: ReadonlySet<string>, without: Path): string[] {
  const found = new Set<string>();
  for (const { step, path } of stepsOf(value)) {
    if (without.every((part, index) => path[index] === part)) continue;
    const inner = innerLists(step).map((one) => printPath([...path, ...one.path]));
    const reads = readsBelow(step, path).filter(
      ({ at, path: read }) =>
        read[0] === "steps" &&
        names.has(String(read[1])) &&
        !inner.some((below) => printPath(at).startsWith(below)),
    );
    if (reads.length > 0) found.add(String(step["step"]));
  }
  return [...found];
}

/**
 * Moves a step with the comments above it. `index` counts in the list as it is before the move.
 * @throws CannotEdit
 */
export function moveStep(text: string, from: Path, { list, index }: StepPlace): Edited {
  const value = valueOfText(text);
  const name = (valueAt(value, from) as JsonObject | undefined)?.["step"];
  const isThere = Array.isArray(valueAt(value, list));
  const made = moveItem(isThere ? text : setField(text, list, []), from, list, isThere ? index : 0);
  return { text: made, path: placeOf(made, String(name)), notes: [] };
}

/** One place up or down among its siblings; out of its list at the ends of it. Undefined if it cannot go there. */
export function nextPlace(text: string, path: Path, by: -1 | 1): StepPlace | undefined {
  const list = path.slice(0, -1);
  const at = Number(path.at(-1));
  const siblings = valueAt(valueOfText(text), list) as Json[];
  if (by < 0 && at > 0) return { list, index: at - 1 };
  if (by > 0 && at < siblings.length - 1) return { list, index: at + 2 };
  const holder = holderOf(path);
  if (!holder) return undefined;
  return { list: holder.slice(0, -1), index: Number(holder.at(-1)) + (by > 0 ? 1 : 0) };
}

/** The place of the step that holds a step; undefined for the steps of the file. */
export function holderOf(path: Path): Path | undefined {
  let holder: Path | undefined;
  let at = path.slice(0, 2);
  for (;;) {
    const rest = path.slice(at.length);
    const list = innerListAt(rest);
    if (list === undefined) return holder;
    holder = at;
    at = path.slice(0, at.length + list + 1);
  }
}

/** What a step can be put into. */
export type Wrapper = "each" | "if" | "group";

/**
 * Puts a step into a loop, a condition or a group.
 * @param expression the list of the loop, or the condition
 * @throws CannotEdit
 */
export function wrapStep(text: string, path: Path, wrapper: Wrapper, expression = ""): Edited {
  const named = (wanted: string): string => freeName(wanted, namesIn(valueOfText(text)));
  const shapes: Record<Wrapper, JsonObject> = {
    each: { step: named("round"), each: expression || "[]", steps: [] },
    if: { step: named("check"), if: expression || "true", then: [] },
    group: { step: named("group"), group: { steps: [] } },
  };
  const inside = wrapper === "group" ? ["group", "steps"] : [wrapper === "if" ? "then" : "steps"];
  return heldBy(text, path, 1, shapes[wrapper], inside);
}

/**
 * Adds a loop, and puts all steps that stand at its place and behind it in the same list into it.
 * @param path where the loop is to stand
 * @param loop its list of steps is empty
 * @throws CannotEdit if there are none
 */
export function wrapRest(text: string, path: Path, loop: JsonObject): Edited {
  const value = valueOfText(text);
  const siblings = valueAt(value, path.slice(0, -1));
  const count = Array.isArray(siblings) ? siblings.length - Number(path.at(-1)) : 0;
  if (count < 1) throw new CannotEdit("No step stands behind it.");
  const step = freeName(String(loop["step"]), namesIn(value));
  return heldBy(text, path, count, { ...loop, step }, ["steps"]);
}

/** Puts steps that stand one behind another into one that holds them, in their place. @param inside where in it they go */
function heldBy(text: string, path: Path, count: number, holder: JsonObject, inside: Path): Edited {
  const list = path.slice(0, -1);
  const at = Number(path.at(-1));
  const own = Array.from({ length: count }, (_, offset) => itemText(text, [...list, at + offset]));
  // What holds them comes first: beside them, it is kept apart as they are.
  const added = addStep(text, { list, index: at }, holder);
  const rest = removeItems(added.text, [...list, at + 1], count);
  return { text: insertItemTexts(rest, [...path, ...inside], 0, own), path, notes: [] };
}

/**
 * Takes the steps out of what holds them, and removes the holder.
 * @throws CannotEdit if nothing is in it
 */
export function unwrapStep(text: string, path: Path): Edited {
  const step = valueAt(valueOfText(text), path);
  const lists = isObject(step) ? innerLists(step) : [];
  if (lists.every(({ list }) => list.length === 0)) throw new CannotEdit("There are no steps in it.");
  const outer = path.slice(0, -1);
  const at = Number(path.at(-1));
  let made = text;
  let index = at + 1;
  for (const { list, path: inner } of lists)
    for (let count = 0; count < list.length; count++)
      made = moveItem(made, [...path, ...inner, 0], outer, index++);
  // What a comment above it says stays.
  const isSaid = itemText(made, path).above !== "";
  return { text: (isSaid ? removeField : removeItems)(made, path), path: [...outer, at], notes: [] };
}
