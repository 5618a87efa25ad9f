import type { EditorLine, StepPlace } from "@copper-kettle/core";
import type { WorkflowDocument } from "./document.js";

/** Where a step goes that is added at a line: behind a step, in a branch at its beginning, into a loop that is empty. */
export function behind(document: WorkflowDocument, line: EditorLine): StepPlace {
  if (line.what === "branch") return { list: line.path, index: 0 };
  if (line.what !== "step") return { list: ["steps"], index: 0 };
  const inner =
    line.kind === "each"
      ? [...line.path, "steps"]
      : line.kind === "group"
        ? [...line.path, "group", "steps"]
        : undefined;
  const list = inner && document.valueAt(inner);
  // An empty loop is filled before anything is put behind it.
  if (inner && (!Array.isArray(list) || list.length === 0)) return { list: inner, index: 0 };
  return nextTo(line);
}

/** The place behind a step in its own list. */
export const nextTo = ({ path }: EditorLine): StepPlace => ({
  list: path.slice(0, -1),
  index: Number(path.at(-1)) + 1,
});

/** The end of the file. */
export function endOf(document: WorkflowDocument): StepPlace {
  const steps = document.valueAt(["steps"]);
  return { list: ["steps"], index: Array.isArray(steps) ? steps.length : 0 };
}
