import { bounds } from "../values/bounds.js";
import { isObject, type Json } from "../values/json.js";
import { valueAt, type Path } from "../values/paths.js";
import { CannotEdit, insertItemTexts, itemText, setField, valueOfText } from "../workflows/edit.js";
import { rename } from "../workflows/rename.js";
import { freeName } from "./names.js";
import { namesIn, stepsOf, type Edited, type StepPlace } from "./steps.js";

/**
 * Puts steps that are written as YAML or JSON into a list: one step, or a list of them. Comments and layout stay. Names
 * that are taken get a number, and what reads them within the pasted steps follows.
 * @throws CannotEdit if the pasted text holds no steps
 */
export function pasteSteps(text: string, place: StepPlace, pasted: string): Edited {
  let snippet = asFile(pasted);
  const taken = namesIn(valueOfText(text));
  const inside = stepsOf(valueOfText(snippet)).map(({ step }) => String(step["step"]));
  if (inside.length === 0) throw new CannotEdit("The pasted text holds no steps.");
  if (inside.length > bounds.pastedSteps)
    throw new CannotEdit(
      `The pasted text holds ${inside.length} steps. At most ${bounds.pastedSteps} can be pasted at once; put the others into the text.`,
    );
  const notes: string[] = [];
  const all = new Set([...taken, ...inside]);
  for (const name of inside) {
    if (!taken.has(name)) continue;
    const free = freeName(name, all);
    all.add(free);
    snippet = rename(snippet, "step", name, free);
    notes.push(`${name} is called ${free} here.`);
  }
  const count = (valueOfText(snippet) as { steps: Json[] }).steps.length;
  let made = text;
  const found = valueAt(valueOfText(text), place.list);
  if (!Array.isArray(found)) made = setField(made, place.list, []);
  const index = Array.isArray(found) ? place.index : 0;
  const items = Array.from({ length: count }, (_, at) => itemText(snippet, ["steps", at]));
  made = insertItemTexts(made, place.list, index, items);
  return {
    text: made,
    path: [...place.list, index],
    notes,
  };
}

/** A workflow file around pasted steps. */
function asFile(pasted: string): string {
  const text = pasted
    .replace(/\t/g, "  ")
    .replace(/^\s*\n/, "")
    .trimEnd();
  const lines = text.split("\n");
  const indent = lines
    .filter((line) => line.trim() !== "")
    .reduce((least, line) => Math.min(least, line.search(/[^ ]/)), Infinity);
  const flat = lines.map((line) => line.slice(Math.min(indent, line.length))).join("\n");
  const head = "copper-kettle: 1\nname: pasted\n";
  if (/^(copper-kettle|name|steps)\s*:/m.test(flat) && !/^- /.test(flat)) {
    const value = valueOfPasted(flat);
    if (isObject(value) && Array.isArray(value["steps"])) return flat;
  }
  const list = /^(- |#)/.test(flat) ? flat : `- ${flat.split("\n").join("\n  ")}`;
  const made = `${head}steps:\n${list
    .split("\n")
    .map((line) => (line === "" ? "" : `  ${line}`))
    .join("\n")}\n`;
  const value = valueOfPasted(made);
  const steps = isObject(value) ? value["steps"] : undefined;
  if (!Array.isArray(steps) || !steps.every((step) => isObject(step) && typeof step["step"] === "string"))
    throw new CannotEdit(
      "The pasted text holds no steps: each has a name, as in { step: lookup, request: GET https://… }.",
    );
  return made;
}

function valueOfPasted(text: string): Json {
  try {
    return valueOfText(text);
  } catch (error) {
    if (!(error instanceof CannotEdit)) throw error;
    throw new CannotEdit("The pasted text cannot be read: it is not YAML, or it is too large.");
  }
}

/** A step as it is written, with its comments, for the clipboard. */
export function copyStep(text: string, path: Path): string {
  const { above, item } = itemText(text, path);
  return `${above}- ${item}\n`;
}

/**
 * Puts a copy of a step right behind it. What reads itself inside of it reads the copy.
 * @throws CannotEdit
 */
export function duplicateStep(text: string, path: Path): Edited {
  return pasteSteps(text, { list: path.slice(0, -1), index: Number(path.at(-1)) + 1 }, copyStep(text, path));
}
