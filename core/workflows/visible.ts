import { denotations } from "../expressions/library/conversions.js";
import type { Reference } from "../expressions/references.js";
import { isObject, type JsonObject } from "../values/json.js";
import { nearest } from "../values/nearest.js";

/** What an expression at some place of a file can see. */
export interface Visible {
  /** Steps that come before, and are not inside a loop that is over. */
  steps: Set<string>;
  /** Every step of the file. */
  allSteps: Set<string>;
  /** Names of loops: items and `index`. */
  names: Set<string>;
  inputs: JsonObject | undefined;
  /** The only names at the root, where there are fewer than elsewhere. */
  roots: readonly string[] | undefined;
}

/** The names that an expression sees in most places. */
export const allRoots = ["inputs", "trigger", "steps", "variables", "run", "constants"];

/** The fields that each root has, where they are always the same. */
const rootFields: Record<string, string[]> = {
  run: ["id", "startedAt", "workflow", "version", "rehearsal"],
  trigger: [
    "kind",
    "name",
    "id",
    "at",
    "missed",
    "body",
    "headers",
    "query",
    "method",
    "event",
    "fetched",
    "row",
    "item",
    "items",
    "before",
    "new",
    "gone",
  ],
};

/** What is wrong with a path that an expression reads, or undefined. `more` are names in scope only there. */
export function checkReference(
  reference: Reference,
  visible: Visible,
  more: readonly string[],
): string | undefined {
  const [root = "", second] = reference.path;
  const roots = visible.roots ?? allRoots;
  if (more.includes(root) || visible.names.has(root)) return undefined;
  if (!roots.includes(root)) {
    if (denotations.has(root)) return undefined;
    if (visible.allSteps.has(root)) return `"${root}" is a step; its outcome is steps.${root}.`;
    const near = nearest(root, [...roots, ...visible.names, ...more]);
    if (["status", "headers", "body", "failure"].includes(root)) {
      return `"${root}" is known only in success and retry. Elsewhere use steps.<name>.${root}.`;
    }
    return `There is no "${root}" here; ${near ? `did you mean "${near}"?` : `known names: ${[...roots, ...visible.names, ...more].join(", ")}.`}`;
  }
  if (second === undefined || second === "*") return undefined;
  if (root === "steps") return checkStep(second, visible);
  const fields = rootFields[root];
  if (fields && !fields.includes(second)) return unknownField(root, second, fields);
  if (root === "inputs") return checkInput(second, visible.inputs);
  return undefined;
}

function checkStep(name: string, visible: Visible): string | undefined {
  if (visible.steps.has(name)) return undefined;
  if (visible.allSteps.has(name))
    return `Step "${name}" does not come before this one, or is inside a loop that is over; its outcome is not known here.`;
  const near = nearest(name, visible.allSteps);
  return `There is no step "${name}"${near ? `; did you mean "${near}"?` : "."}`;
}

function checkInput(name: string, inputs: JsonObject | undefined): string | undefined {
  if (!inputs)
    return `This workflow has no inputs, so there is no inputs.${name}. Describe it under "inputs".`;
  const properties = inputs["properties"];
  if (!isObject(properties) || inputs["additionalProperties"] !== undefined || name in properties)
    return undefined;
  return unknownField("inputs", name, Object.keys(properties));
}

function unknownField(root: string, name: string, known: string[]): string {
  const near = nearest(name, known);
  return `There is no "${name}" in ${root}; ${near ? `did you mean "${near}"?` : `it has ${known.join(", ")}.`}`;
}
