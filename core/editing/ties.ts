import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import { fieldAt } from "../workflows/fields.js";
import { setField, valueOfText } from "../workflows/edit.js";
import { innerLists } from "../workflows/nested.js";
import { replaceConstant, replaceNamed } from "../workflows/rename.js";
import { readsBelow } from "./reads.js";
import { stepsOf } from "./steps.js";

/** Something outside of a workflow that it uses: a copy for another purpose may want another one. */
export interface Tie {
  kind: "credential" | "constant" | "operation" | "workflow" | "webhook";
  name: string;
  /** The steps and triggers that use it. */
  steps: string[];
}

/** What a workflow is tied to, in the order of the file. */
export function tiesOf(text: string): Tie[] {
  const value = valueOfText(text);
  const found = new Map<string, Tie>();
  const note = (kind: Tie["kind"], name: string, user: string): void => {
    const tie = found.get(`${kind} ${name}`) ?? { kind, name, steps: [] };
    if (!tie.steps.includes(user)) tie.steps.push(user);
    found.set(`${kind} ${name}`, tie);
  };
  const look = (part: JsonObject, path: Path, user: string): void => {
    for (const { path: read } of readsBelow(part, path))
      if (read[0] === "constants" && read[1] !== undefined) note("constant", read[1], user);
    for (const { at, name } of namesBelow(part, path)) {
      const kind = fieldAt(at);
      if (kind === "credential" || kind === "operation" || kind === "workflow") note(kind, name, user);
    }
  };
  const triggers = isObject(value) ? value["triggers"] : undefined;
  for (const [name, trigger] of Object.entries(isObject(triggers) ? triggers : {})) {
    if (!isObject(trigger)) continue;
    look(trigger, ["triggers", name], name);
    const webhook = trigger["webhook"];
    if (isObject(webhook) && typeof webhook["path"] === "string") note("webhook", webhook["path"], name);
  }
  for (const { step, path } of stepsOf(value)) {
    const own = { ...step };
    // What stands in steps inside of it is theirs.
    for (const { path: inner } of innerLists(step)) delete own[String(inner[0])];
    look(own, path, String(step["step"]));
  }
  return [...found.values()];
}

/**
 * Puts another in the place of what a workflow is tied to, wherever the file names it. All else stays byte for byte.
 * @throws CannotEdit if the file cannot be read, or the new name cannot be one
 */
export function retied(text: string, { kind, name, steps }: Tie, to: string): string {
  switch (kind) {
    case "constant":
      return replaceConstant(text, name, to);
    case "webhook":
      return steps.reduce(
        (made, trigger) => setField(made, ["triggers", trigger, "webhook", "path"], to),
        text,
      );
    default:
      return replaceNamed(text, kind, name, to);
  }
}

function namesBelow(value: Json, at: Path): { at: Path; name: string }[] {
  if (typeof value === "string") return [{ at, name: value }];
  if (Array.isArray(value)) return value.flatMap((item) => namesBelow(item, at));
  if (!isObject(value)) return [];
  return Object.keys(value).flatMap((key) => namesBelow(value[key] as Json, [...at, key]));
}
