import {
  collected,
  loopOver,
  printPath,
  successWhere,
  type EditorLine,
  type Json,
  type Path,
} from "@copper-kettle/core";
import type { ValueUse } from "../logic/value-use.js";
import type { WorkflowDocument } from "./document.js";
import { behind, endOf, nextTo } from "./places.js";

/** What can be made of the values in the outline: a loop, a condition of success, a part of what a loop collects. */
export function valueUses(
  document: WorkflowDocument,
  choose: (id: string) => void,
): (path: Path, value: Json) => ValueUse[] {
  const lineOf = (name: string): EditorLine | undefined =>
    document.lines.value.find((line) => line.what === "step" && line.name === name);

  async function addLoop(path: Path): Promise<void> {
    const line = lineOf(String(path[1]));
    const place = path[0] === "steps" && line ? behind(document, line) : endOf(document);
    const made = await document.act({ do: "add", place, step: loopOver(path) });
    if (made) choose(printPath(made));
  }
  async function wrapRest(line: EditorLine, path: Path): Promise<void> {
    const { list, index } = nextTo(line);
    const made = await document.act({ do: "wrap-rest", path: [...list, index], loop: loopOver(path) });
    if (made) choose(printPath(made));
  }
  /** How many steps stand behind one in its list. */
  function countBehind(line: EditorLine): number {
    const { list, index } = nextTo(line);
    const steps = document.valueAt(list);
    return Array.isArray(steps) ? steps.length - index : 0;
  }
  async function set(line: EditorLine, key: string, value: string): Promise<void> {
    if (await document.act({ do: "set", path: [...line.path, key], value })) choose(line.id);
  }

  return (path, value) => {
    const uses: ValueUse[] = [];
    if (Array.isArray(value))
      uses.push({
        label: "Each of these",
        title: `Adds a loop over ${printPath(path)}`,
        run: () => void addLoop(path),
      });
    const line = path[0] === "steps" ? lineOf(String(path[1])) : undefined;
    if (!line) return uses;
    const others = countBehind(line);
    if (Array.isArray(value) && others > 0)
      uses.push({
        label: "Do the rest for each",
        title: `Puts ${others === 1 ? "the step" : `the ${others} steps`} behind ${line.name} into a loop over ${printPath(path)}`,
        run: () => void wrapRest(line, path),
      });
    const before = document.valueAt([...line.path, "success"]);
    const success = ["request", "operation"].includes(line.kind)
      ? successWhere(path, value, before)
      : undefined;
    if (success !== undefined)
      uses.push({
        label: "Succeeds only if",
        title: `Makes ${line.name} succeed only if ${success}`,
        run: () => void set(line, "success", success),
      });
    const loop = document.lines.value.findLast(
      ({ kind, id }) => kind === "each" && line.id !== id && line.id.startsWith(`${id}.`),
    );
    if (loop) {
      const as = String(document.valueAt([...loop.path, "as"]) ?? "item");
      const collect = collected(document.valueAt([...loop.path, "collect"]), as, path);
      uses.push({
        label: "Add to the item",
        title: `Lets each ${as} of ${loop.name} give ${collect}`,
        run: () => void set(loop, "collect", collect),
      });
    }
    return uses;
  };
}
