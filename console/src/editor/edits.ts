import {
  addStep,
  brokenReads,
  CannotEdit,
  duplicateStep,
  moveStep,
  nextPlace,
  pasteSteps,
  placeOf,
  readInstead,
  removeField,
  removeStep,
  rename,
  renameKey,
  replaceField,
  setInOrder,
  unwrapStep,
  wrapRest,
  wrapStep,
  type BrokenRead,
  type Edited,
} from "@copper-kettle/core";
import type { Action, Asked } from "./messages.js";

/** The edits of a text, as the worker makes them. */

function edit({ text, action }: { text: string; action: Action }): Edited {
  const only = (made: string, path = "path" in action ? action.path : []): Edited => ({
    text: made,
    path,
    notes: [],
  });
  switch (action.do) {
    case "set":
      return only(setInOrder(text, action.path, action.value));
    case "unset":
      return only(removeField(text, action.path));
    case "rename-key":
      return only(renameKey(text, action.path, action.key), [...action.path.slice(0, -1), action.key]);
    case "replace":
      return only(replaceField(text, action.path, action.key, action.value));
    case "add":
      return addStep(text, action.place, action.step);
    case "paste":
      return pasteSteps(text, action.place, action.text);
    case "remove":
      return removeStep(text, action.path);
    case "move":
      return moveStep(text, action.path, action.place);
    case "shift": {
      const place = nextPlace(text, action.path, action.by);
      return place ? moveStep(text, action.path, place) : only(text);
    }
    case "duplicate":
      return duplicateStep(text, action.path);
    case "wrap":
      return wrapStep(text, action.path, action.wrapper);
    case "wrap-rest":
      return wrapRest(text, action.path, action.loop);
    case "unwrap":
      return unwrapStep(text, action.path);
    case "read-instead":
      return only(readInstead(text, action.path, action.from, action.to));
    case "rename": {
      const made = rename(text, "step", action.from, action.to);
      return only(made, placeOf(made, action.to));
    }
  }
}

/** Edits of one place: the steps stay where they are, and what they read in vain stays as it was. */
const inPlace: ReadonlySet<Action["do"]> = new Set([
  "set",
  "unset",
  "rename-key",
  "replace",
  "rename",
  "read-instead",
]);
/** What would be read in vain after an edit; nothing where it cannot be made. */
export function broken({ text, action }: { text: string; action: Action }): BrokenRead[] {
  try {
    return brokenReads(text, edit({ text, action }).text);
  } catch (error) {
    if (error instanceof CannotEdit) return [];
    throw error;
  }
}
/** A text after an edit, and what is read in vain since. */
export function edited(asked: Asked["edit"]["ask"]): Edited & { broken?: BrokenRead[] } {
  const made = edit(asked);
  return inPlace.has(asked.action.do) ? made : { ...made, broken: brokenReads(asked.text, made.text) };
}
