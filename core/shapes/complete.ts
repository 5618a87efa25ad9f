import { compile } from "../expressions/compile.js";
import { ExpressionError } from "../expressions/errors.js";
import { macroEntries } from "../expressions/library/macro-table.js";
import { functions } from "../expressions/library/table.js";
import type { FunctionEntry } from "../expressions/library/entry.js";
import type { Kind } from "../expressions/values.js";
import { itemLoops } from "../expressions/macros.js";
import { checkShapes } from "./check.js";
import { insideOptional, type ShapeScope } from "./check-kinds.js";
import { anything, type Shape } from "./shape.js";

/** One thing that could stand at the caret. */
export interface Completion {
  /** What is put in. */
  text: string;
  kind: "name" | "field" | "function" | "macro" | "constant";
  /** A word about it: its kind, or how it is called. */
  detail: string;
  help: string;
}

export interface Completions {
  /** The part of the text that is replaced, as offsets. */
  from: number;
  to: number;
  options: Completion[];
  /** Behind a dot: the text of the value whose fields they are. */
  of?: string;
}

/**
 * What could stand at a caret in the text of an expression, finished or not: names in scope, fields from shapes,
 * functions that take the kind of what stands before the dot. Empty inside a quoted text.
 */
export function complete(text: string, caret: number, scope: ShapeScope): Completions {
  const before = text.slice(0, caret);
  const typed = /[A-Za-z_][A-Za-z0-9_]*$/.exec(before)?.[0] ?? "";
  const to = caret + (/^[A-Za-z0-9_]*/.exec(text.slice(caret))?.[0].length ?? 0);
  const from = caret - typed.length;
  const none = { from: caret, to: caret, options: [] };
  const masked = maskQuoted(before);
  if (masked === undefined || /[0-9]$/.test(before.slice(0, from))) return none;
  const names = new Map([...scope, ...loopNames(before, masked, scope)]);
  const dot = /\.\s*\??$/.exec(masked.slice(0, from));
  const of = dot && before.slice(startOfValue(masked, dot.index), dot.index).trim();
  const options = of ? members(of, names) : dot ? [] : roots(names);
  const wanted = typed.toLowerCase();
  const fitting = options.filter((one) => one.text.toLowerCase().startsWith(wanted));
  return { from, to, options: fitting, ...(of ? { of } : {}) };
}

/** The same within a text with `${ … }` parts; nothing outside of them. */
export function completeTemplate(text: string, caret: number, scope: ShapeScope): Completions {
  const open = text.lastIndexOf("${", caret - 1);
  const escaped = open > 0 && text[open - 1] === "$";
  if (open < 0 || escaped || caret < open + 2) return { from: caret, to: caret, options: [] };
  const inner = text.slice(open + 2);
  const found = complete(inner, caret - open - 2, scope);
  const closed = maskQuoted(text.slice(open + 2, caret))?.includes("}") ?? false;
  if (closed && !/[{]/.test(text.slice(open + 2, caret))) return { from: caret, to: caret, options: [] };
  return { ...found, from: found.from + open + 2, to: found.to + open + 2 };
}

/** The text with what stands in quotes as blanks; undefined if a quote is open at its end. */
function maskQuoted(text: string): string | undefined {
  const masked = text.replace(
    /"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/g,
    (quoted) => `"${" ".repeat(quoted.length - 2)}"`,
  );
  const rest = masked.replace(/"\s*"/g, "");
  return /["']/.test(rest) ? undefined : masked;
}

/** Where the value that ends at `end` begins: names, fields, calls and indexes, with what is in their brackets. */
function startOfValue(masked: string, end: number): number {
  let at = end;
  let depth = 0;
  while (at > 0) {
    const character = masked[at - 1] as string;
    if (/[)\]}]/.test(character)) depth++;
    else if (/[([{]/.test(character)) {
      if (depth === 0) break;
      depth--;
    } else if (depth === 0 && !/[A-Za-z0-9_.?"\s]/.test(character)) break;
    else if (depth === 0 && character === "?" && masked[at - 2] !== ".") break;
    at--;
  }
  return at + (/^\s*/.exec(masked.slice(at))?.[0].length ?? 0);
}

function shapeOfText(text: string, scope: ShapeScope): Shape {
  try {
    return checkShapes(compile(text), scope).result;
  } catch (error) {
    if (error instanceof ExpressionError) return anything;
    throw error;
  }
}

/** Loop variables that are in scope at the caret: of each loop whose bracket is still open. */
function loopNames(before: string, masked: string, scope: ShapeScope): Map<string, Shape> {
  const names = new Map<string, Shape>();
  const opened: number[] = [];
  for (let at = 0; at < masked.length; at++) {
    if (masked[at] === "(") opened.push(at);
    else if (masked[at] === ")") opened.pop();
  }
  for (const open of opened) {
    const call = /\.\s*([A-Za-z_][A-Za-z0-9_]*)\s*$/.exec(masked.slice(0, open));
    const variables = /^\s*([A-Za-z_][A-Za-z0-9_]*)\s*,(?:\s*([A-Za-z_][A-Za-z0-9_]*)\s*,)?/.exec(
      masked.slice(open + 1),
    );
    if (!call || !variables) continue;
    const [, name = ""] = call;
    const [, first = "", second] = variables;
    const list = shapeOfText(
      before.slice(startOfValue(masked, call.index), call.index),
      new Map([...scope, ...names]),
    );
    const item = list.items?.() ?? anything;
    if (name.startsWith("transform") && second) names.set(second, item);
    else if (itemLoops.has(name)) names.set(first, name.startsWith("opt") ? insideOptional(list) : item);
  }
  return names;
}

/** What may stand behind the dot after a value. */
function members(receiver: string, names: ShapeScope): Completion[] {
  const inSpace = functions.filter(({ name }) => name.startsWith(`${receiver}.`));
  if (receiver === "cel") return [macroCompletion("cel.bind", "bind")];
  if (inSpace.length > 0 && !names.has(receiver))
    return inSpace.map((entry) => functionCompletion(entry, entry.name.slice(receiver.length + 1)));
  const shape = shapeOfText(receiver, names);
  const value = insideOptional(shape);
  const fields = (value.fields?.names() ?? []).flatMap((name): Completion[] => {
    if (!/^[A-Za-z_][A-Za-z0-9_]*$/.test(name)) return [];
    const field = value.fields?.get(name);
    return [{ text: name, kind: "field", detail: field ? shapeText(field.shape, field.sure) : "", help: "" }];
  });
  const methods = functions
    .filter(
      ({ form, parameters: [first] }) =>
        form !== "function" && first !== undefined && takes(first.kinds, shape.kinds),
    )
    .map((entry) => functionCompletion(entry, entry.name));
  const walks = shape.kinds === undefined || shape.kinds.some((kind) => kind === "list" || kind === "object");
  const optional = shape.kinds === undefined || shape.kinds.includes("optional");
  const loops = macroEntries
    .filter(
      ({ form, name }) =>
        !name.startsWith("cel.") &&
        (form.startsWith("optional.") ? optional : /^(list|object)\./.test(form) && walks),
    )
    .map(({ name }) => macroCompletion(name));
  return [...fields, ...loops, ...methods];
}

function takes(wanted: "any" | readonly Kind[], kinds: readonly Kind[] | undefined): boolean {
  return (
    wanted === "any" ||
    kinds === undefined ||
    kinds.length === 0 ||
    kinds.some((kind) => wanted.includes(kind))
  );
}

/** What may stand where a value begins. */
function roots(names: ShapeScope): Completion[] {
  const spaces = [
    ...new Set(
      functions.filter(({ name }) => name.includes(".")).map(({ name }) => name.split(".")[0] as string),
    ),
  ];
  return [
    ...[...names].map(([text, shape]): Completion => ({
      text,
      kind: "name",
      detail: shapeText(shape, true),
      help: "",
    })),
    ...macroEntries
      .filter(({ form, name }) => form.startsWith(name) && !name.includes("."))
      .map(({ name }) => macroCompletion(name)),
    ...functions
      .filter(({ form, name }) => form !== "method" && !name.includes("."))
      .map((entry) => functionCompletion(entry, entry.name)),
    ...["cel", ...spaces].map((text): Completion => ({
      text,
      kind: "name",
      detail: `${text}.…`,
      help: "Functions of one matter.",
    })),
    ...["true", "false", "null"].map((text): Completion => ({
      text,
      kind: "constant",
      detail: "",
      help: "",
    })),
  ];
}

function macroCompletion(name: string, text = name): Completion {
  const entry = macroEntries.find((one) => one.name === name);
  return { text, kind: "macro", detail: entry?.form ?? "", help: entry?.help ?? "" };
}

/** How a function is written, as `name(a, [b])` or `a.name([b])`. */
export function signature({ name, form, parameters }: FunctionEntry): string {
  const [first, ...rest] = parameters.map((one) =>
    one.optional ? `[${one.name}]` : one.rest ? `${one.name}, …` : one.name,
  );
  if (form === "method") return `${first ?? ""}.${name}(${rest.join(", ")})`;
  return `${name}(${[first, ...rest].filter((one) => one !== undefined).join(", ")})`;
}

function functionCompletion(entry: FunctionEntry, text: string): Completion {
  return { text, kind: "function", detail: signature(entry), help: entry.help };
}

/** A shape in a few words. */
export function shapeText({ kinds, nullable, choices }: Shape, sure: boolean): string {
  const known =
    choices && choices.length > 1 && choices.length <= 4
      ? choices.map(String).join(" | ")
      : (kinds?.join(" or ") ?? "");
  return [known, nullable ? "may be null" : "", sure ? "" : "may be absent"].filter(Boolean).join(", ");
}
