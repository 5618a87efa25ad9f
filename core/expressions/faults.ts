import { nearest } from "../values/nearest.js";
import { article, fail } from "./evaluation.js";
import { fieldMeant, functionMeant, heldFunctionMeant, nameMeant } from "./habits.js";
import type { FunctionEntry } from "./library/entry.js";
import { findFunction, functions } from "./library/table.js";
import { macroForms, macroNames } from "./macros.js";
import type { Node } from "./parse.js";
import { isMap, kindOfValue, type Value, type ValueMap } from "./values.js";

// The sentences about what is wrong with an expression. `source` gives the text of a node.

/** Says why a key cannot be read, with the path and the nearest key. */
export function missing(
  source: (node: Node) => string,
  value: Value,
  key: string,
  objectNode: Node,
  node: Node,
): never {
  const path = source(objectNode);
  if (value === null) {
    return fail(
      "null-value",
      `${path} is null, so it has no "${key}". Give a value for that case: default(${source(node)}, …).`,
      node,
    );
  }
  if (!isMap(value)) {
    const meant =
      fieldMeant(path, key) ??
      (typeof value === "string" && /^-?\d+$/.test(key)
        ? Number(key) < 0
          ? `${path}.substring(size(${path}) - ${-Number(key)})`
          : `${path}.charAt(${key})`
        : undefined);
    const hint = meant
      ? ` Write ${meant}.`
      : Array.isArray(value)
        ? ` Write ${path}[0].${key} for that of the first item, or ${path}.map(item, item.${key}) for all.`
        : "";
    return fail(
      "wrong-kind",
      `${path} is ${article(kindOfValue(value))}, so it has no "${key}".${hint}`,
      node,
    );
  }
  if (path === "steps") {
    const near = nearest(key, Object.keys(value));
    const meant = near ? ` Did you mean "${near}"?` : "";
    return fail(
      "no-such-key",
      `Step "${key}" has no outcome here: it was skipped, its branch was not taken, or it has not run.${meant} Use default(…, …) to give a value for that case.`,
      node,
    );
  }
  const keys = Object.keys(value);
  const near = nearest(key, keys);
  const has = near ? `; it has "${near}"` : keys.length === 0 ? "; it is empty" : `; it has ${listed(keys)}`;
  return fail("no-such-key", `No "${key}" in ${path}${has}.`, node);
}

/** Reports a function of an object of another language, such as `Math.round(…)`. */
export function heldFunction(holder: string, node: Node & { op: "call" }): void {
  const meant = heldFunctionMeant(holder, node.name);
  if (meant) fail("unknown-function", `There is no ${holder}.${node.name} here; write ${meant}.`, node);
}

export function unknownFunction(name: string, method: boolean, node: Node & { op: "call" }): never {
  const forms = macroForms(name, method);
  if (forms.length > 0)
    return fail(
      "wrong-arguments",
      `${name} is written ${forms.join(" or ")}; ${node.args.length} given.`,
      node,
    );
  const other = findFunction(name, !method);
  if (other) {
    const form = method ? `${name}(…)` : `value.${name}(…)`;
    return fail("unknown-function", `${name} is written ${form}.`, node);
  }
  const meant = functionMeant(name);
  if (meant) return fail("unknown-function", `There is no function "${name}" here; write ${meant}.`, node);
  const near = nearest(name, [...functions.map((known) => known.name), ...macroNames]);
  return fail(
    "unknown-function",
    `There is no function "${name}"${near ? `; did you mean "${near}"?` : "."}`,
    node,
  );
}

/** Reports a name that stands for nothing in a scope. */
export function unknownName(name: string, scope: ValueMap, node: Node): never {
  const near = nearest(name, Object.keys(scope));
  const meant = nameMeant(name);
  const hint = near ? `; did you mean "${near}"?` : meant ? `; write ${meant}.` : ".";
  return fail("unknown-name", `There is no "${name}" here${hint}`, node);
}

/** Reports an argument of a kind that a function does not take. */
export function checkKind(
  source: (node: Node) => string,
  entry: FunctionEntry,
  index: number,
  value: Value,
  node: Node,
): void {
  const parameter = entry.parameters[Math.min(index, entry.parameters.length - 1)];
  if (!parameter || parameter.kinds === "any") return;
  const kind = kindOfValue(value);
  if (parameter.kinds.includes(kind)) return;
  const wanted = parameter.kinds.map(article).join(" or ");
  const hint = kind === "null" ? ` default(${source(node)}, …) gives a value for null.` : "";
  fail(
    "wrong-kind",
    `${entry.name} wants ${wanted} as ${parameter.name}; ${source(node)} is ${article(kind)}.${hint}`,
    node,
  );
}

/** Reports a call with too few or too many arguments. */
export function checkCount(entry: FunctionEntry, count: number, node: Node): void {
  const least = entry.parameters.filter((parameter) => !parameter.optional && !parameter.rest).length;
  const most = entry.parameters.some((parameter) => parameter.rest) ? Infinity : entry.parameters.length;
  if (count >= least && count <= most) return;
  const method = entry.form === "method" ? 1 : 0;
  const wanted = entry.parameters
    .slice(method)
    .map((parameter) => (parameter.optional ? `[${parameter.name}]` : parameter.name));
  fail(
    "wrong-arguments",
    `${entry.name} takes ${wanted.length === 0 ? "nothing" : `(${wanted.join(", ")})`}; ${count - method} given.`,
    node,
  );
}

function listed(keys: string[]): string {
  const shown = keys
    .slice(0, 6)
    .map((key) => `"${key}"`)
    .join(", ");
  return keys.length > 6 ? `${shown} and ${keys.length - 6} more` : shown;
}
