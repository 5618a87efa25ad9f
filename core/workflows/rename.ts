import { isMap, isScalar, type Pair, type Scalar } from "yaml";
import { ExpressionError } from "../expressions/errors.js";
import { parseExpression, type Node } from "../expressions/parse.js";
import { references } from "../expressions/references.js";
import { splitTemplate } from "../expressions/templates.js";
import { isObject, own, printJson, type Json } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import { stepName } from "./document.js";
import { CannotEdit, parsed } from "./edit-places.js";
import { applied, nodesAt, pairOf, rangeOf, type TextEdit } from "./edit-text.js";
import { startsWith } from "./edit-value.js";
import { fieldAt } from "./fields.js";
import { innerLists } from "./nested.js";
import { Source } from "./source.js";

/** What can be renamed, and the name under which expressions read it. */
const roots = { step: "steps", variable: "variables", input: "inputs" } as const;
export type Renamed = keyof typeof roots;

/**
 * Renames a step, a variable or an input, with everything that reads it. References are found by the parser of
 * expressions, never by searching the text. All else stays byte for byte.
 * @throws CannotEdit if there is none of that name, the new name is taken or cannot be one, or a reference cannot be
 * changed; the text is as it was
 */
export function rename(text: string, what: Renamed, from: string, to: string): string {
  if (!stepName.test(to)) throw new CannotEdit(`"${to}" cannot be a name: letters, digits and _ only.`);
  const value = new Source(text).value;
  if (!isObject(value)) throw new CannotEdit("The file cannot be read as it is; correct it first.");
  const own = definitions(value, what);
  const places = own.filter(({ name }) => name === from);
  if (places.length === 0) throw new CannotEdit(`There is no ${what} "${from}".`);
  if (own.some(({ name }) => name === to)) throw new CannotEdit(`There is a ${what} "${to}" already.`);
  const root = parsed(text);
  const names: TextEdit[] = places.map(({ path, isKey }) => {
    const node = isKey ? keyAt(root, path) : scalarAt(root, path);
    return { ...spanOf(node, text), text: quotedLike(node, to) };
  });
  const { edits, wanted } = rewritten(text, value, (tree, source, offset) =>
    heads(tree, source, offset, roots[what], from, to),
  );
  const made = applied(text, [...names, ...edits]);
  check(made, wanted, { what, from, to, before: own });
  return made;
}

/**
 * Renames a function wherever an expression of the file calls it. All else stays byte for byte.
 * @throws CannotEdit if the file or one of its expressions cannot be read
 */
export function renameFunction(text: string, from: string, to: string): string {
  const value = new Source(text).value;
  if (value === undefined) throw new CannotEdit("The file cannot be read as it is; correct it first.");
  return applied(
    text,
    rewritten(text, value, (tree, source, offset) =>
      callsOf(tree, from).map((call) => {
        const at = source.indexOf(from, offset + (call.receiver ? call.receiver.end : call.start));
        return { from: at, to: at + from.length, text: to };
      }),
    ).edits,
  );
}

/**
 * Puts another constant in the place of one, wherever an expression of the file reads it. All else stays byte for byte.
 * @throws CannotEdit if the file or one of its expressions cannot be read, or the new name cannot be one
 */
export function replaceConstant(text: string, from: string, to: string): string {
  if (!stepName.test(to)) throw new CannotEdit(`"${to}" cannot be a name: letters, digits and _ only.`);
  const value = new Source(text).value;
  if (value === undefined) throw new CannotEdit("The file cannot be read as it is; correct it first.");
  const { edits } = rewritten(text, value, (tree, source, offset) =>
    heads(tree, source, offset, "constants", from, to),
  );
  return applied(text, edits);
}

/**
 * Lets the expressions below a place read another step. All else stays byte for byte.
 * @param at a step, or one of its fields
 * @throws CannotEdit if the file or one of those expressions cannot be read, or the new name cannot be one
 */
export function readInstead(text: string, at: Path, from: string, to: string): string {
  if (!stepName.test(to)) throw new CannotEdit(`"${to}" cannot be a name: letters, digits and _ only.`);
  const value = new Source(text).value;
  if (value === undefined) throw new CannotEdit("The file cannot be read as it is; correct it first.");
  const { edits } = rewritten(
    text,
    value,
    (tree, source, offset) => heads(tree, source, offset, roots.step, from, to),
    at,
  );
  return applied(text, edits);
}

/**
 * Puts another operation, credential or workflow in the place of one, wherever the file names it. All else stays byte for byte.
 * @param from as the file names it: `stays.searchGuests`
 * @throws CannotEdit if the file cannot be read
 */
export function replaceNamed(
  text: string,
  kind: "operation" | "credential" | "workflow",
  from: string,
  to: string,
): string {
  const value = new Source(text).value;
  if (value === undefined) throw new CannotEdit("The file cannot be read as it is; correct it first.");
  const root = parsed(text);
  const called = texts(value, []).filter((one) => one.value === from && fieldAt(one.path) === kind);
  return applied(
    text,
    called.map(({ path }) => {
      const node = scalarAt(root, path);
      return { ...spanOf(node, text), text: quotedLike(node, to) };
    }),
  );
}

type CallNode = Extract<Node, { op: "call" }>;

/** The calls of a function in an expression. */
function callsOf(tree: Node, name: string): CallNode[] {
  const inner = Object.values(tree)
    .flat()
    .flatMap((part): Node[] =>
      typeof part !== "object" || part === null
        ? []
        : "op" in part
          ? [part as Node]
          : [part.key, part.value].filter((one) => typeof one === "object" && one !== null && "op" in one),
    );
  const own = tree.op === "call" && tree.name === name ? [tree] : [];
  return [...own, ...inner.flatMap((one) => callsOf(one, name))];
}

/** Finds what changes in one expression; `offset` is where it stands in its text. */
type Find = (tree: Node, text: string, offset: number) => TextEdit[];

/** The edits of a file that change its expressions, and what the texts at their places become. */
function rewritten(
  text: string,
  value: Json,
  find: Find,
  below: Path = [],
): { edits: TextEdit[]; wanted: Map<string, string> } {
  const root = parsed(text);
  const edits: TextEdit[] = [];
  const wanted = new Map<string, string>();
  for (const { path, value: given } of texts(value, [])) {
    if (!startsWith(path, below)) continue;
    const pieces = piecesOf(path, given, find);
    if (pieces.length === 0) continue;
    edits.push(...inText(text, scalarAt(root, path), given, pieces));
    wanted.set(printPath(path), applied(given, pieces));
  }
  return { edits, wanted };
}

interface Definition {
  name: string;
  path: Path;
  /** Whether the name is the key at the path; else it is the value there. */
  isKey: boolean;
}

/** Where names of a kind are given. */
function definitions(value: Json, what: Renamed): Definition[] {
  if (!isObject(value)) return [];
  if (what === "input") {
    const inputs = own(value, "inputs");
    const properties = isObject(inputs) ? own(inputs, "properties") : undefined;
    const required = isObject(inputs) ? own(inputs, "required") : undefined;
    const keys = isObject(properties) ? Object.keys(properties) : [];
    return [
      ...keys.map((name) => ({ name, path: ["inputs", "properties", name], isKey: true })),
      ...(Array.isArray(required) ? required : []).map((name, index) => ({
        name: String(name),
        path: ["inputs", "required", index],
        isKey: false,
      })),
    ];
  }
  const found: Definition[] = [];
  const visit = (list: Json[], path: Path): void => {
    for (const [index, step] of list.entries()) {
      if (!isObject(step)) continue;
      const at = [...path, index];
      const set = own(step, "set");
      if (what === "step" && typeof step["step"] === "string")
        found.push({ name: step["step"], path: [...at, "step"], isKey: false });
      if (what === "variable" && isObject(set))
        for (const name of Object.keys(set)) found.push({ name, path: [...at, "set", name], isKey: true });
      for (const inner of innerLists(step)) visit(inner.list, [...at, ...inner.path]);
    }
  };
  const steps = own(value, "steps");
  if (Array.isArray(steps)) visit(steps, ["steps"]);
  return found;
}

/** All texts of a file, with their places. */
function texts(value: Json, path: Path): { path: Path; value: string }[] {
  if (typeof value === "string") return [{ path, value }];
  if (Array.isArray(value)) return value.flatMap((item, index) => texts(item, [...path, index]));
  if (!isObject(value)) return [];
  return Object.keys(value).flatMap((key) => texts(own(value, key) as Json, [...path, key]));
}

/** What changes in the expressions of a field's text. */
function piecesOf(path: Path, text: string, find: Find): TextEdit[] {
  const kind = fieldAt(path);
  try {
    if (kind === "expression") return find(parseExpression(text), text, 0);
    if (kind !== "template" && kind !== "value") return [];
    return splitTemplate(text).flatMap((part) =>
      "code" in part ? find(parseExpression(part.code), text, part.offset) : [],
    );
  } catch (error) {
    if (!(error instanceof ExpressionError)) throw error;
    throw new CannotEdit(`${printPath(path)} cannot be read: ${error.message} Correct it first.`);
  }
}

/** The beginnings `steps.guest` of the references that read a name. */
function heads(tree: Node, text: string, offset: number, root: string, from: string, to: string): TextEdit[] {
  return references(tree)
    .filter(({ path }) => path[0] === root && path[1] === from)
    .flatMap(({ node }) => {
      let [at, last]: Node[] = [node, node];
      while (at?.op === "field" || at?.op === "index") [at, last] = [at.object, at];
      // Through the variable of a loop: its list is named where the loop begins.
      if (at?.op !== "name" || at.name !== root || !last) return [];
      const name = text.slice(offset + at.end, offset + last.end);
      const dot = /^\s*(\.\??)/.exec(name)?.[1] ?? (name.includes("?") ? ".?" : ".");
      return [{ from: offset + at.end, to: offset + last.end, text: `${dot}${to}` }];
    });
}

/**
 * Edits of a scalar as it is written, for edits of its value: quotes, escapes and line breaks stay.
 * @throws CannotEdit if a piece is not written as it reads
 */
function inText(text: string, node: Scalar, value: string, pieces: TextEdit[]): TextEdit[] {
  const { from, to } = spanOf(node, text);
  const written = text.slice(from, to);
  // A text may hold the same piece thousands of times: where all of them stand is looked for once.
  const known = new Map<string, ReadonlyMap<number, number>>();
  return pieces.map((piece) => {
    const part = value.slice(piece.from, piece.to);
    const places = known.get(part) ?? writtenPlaces(value, written, part);
    known.set(part, places);
    const at = places.get(piece.from);
    if (at === undefined)
      throw new CannotEdit(`"${part}" is written in a way that cannot be changed here; edit the text.`);
    return { from: from + at, to: from + at + part.length, text: piece.text };
  });
}

/** Where each occurrence of a part in a value stands in what is written for it; none where they are not as many. */
function writtenPlaces(value: string, written: string, part: string): ReadonlyMap<number, number> {
  const [inValue, inWritten] = [occurrences(value, part), occurrences(written, part)];
  if (inValue.length !== inWritten.length) return new Map();
  return new Map(inValue.map((from, index) => [from, inWritten[index] as number]));
}

function occurrences(text: string, part: string): number[] {
  const found: number[] = [];
  for (let at = text.indexOf(part); at >= 0; at = text.indexOf(part, at + 1)) found.push(at);
  return found;
}

/** Reads the new text again: every definition and every reference has the new name, and nothing else changed. */
function check(
  made: string,
  wanted: ReadonlyMap<string, string>,
  { what, from, to, before }: { what: Renamed; from: string; to: string; before: Definition[] },
): void {
  const value = new Source(made).value;
  const after = value === undefined ? [] : definitions(value, what);
  const names = before.map(({ name }) => (name === from ? to : name));
  const texts_ = new Map(texts(value ?? null, []).map((one) => [printPath(one.path), one.value]));
  const sound =
    printJson(after.map(({ name }) => name)) === printJson(names) &&
    [...wanted].every(([path, text]) => texts_.get(renamedPath(path, what, from, to)) === text);
  if (!sound) throw new CannotEdit("This cannot be renamed without changing other parts of the file.");
}

/** A variable's own key is part of the paths below it. */
function renamedPath(path: string, what: Renamed, from: string, to: string): string {
  return what === "variable" ? path.replace(`.set.${from}`, `.set.${to}`) : path;
}

function scalarAt(root: Parameters<typeof nodesAt>[0], path: Path): Scalar {
  const node = nodesAt(root, path)?.at(-1);
  if (isScalar(node)) return node;
  throw new CannotEdit(`What is at ${printPath(path)} is an alias; edit the text.`);
}

function keyAt(root: Parameters<typeof nodesAt>[0], path: Path): Scalar {
  const map = nodesAt(root, path.slice(0, -1))?.at(-1);
  const pair: Pair | undefined = isMap(map) ? pairOf(map, path.at(-1) as string) : undefined;
  if (pair && isScalar(pair.key)) return pair.key;
  throw new CannotEdit(`What is at ${printPath(path)} is an alias; edit the text.`);
}

function spanOf(node: Scalar, text: string): { from: number; to: number } {
  const [from, to] = rangeOf(node, text);
  return { from, to };
}

function quotedLike({ type }: Scalar, name: string): string {
  return type === "QUOTE_DOUBLE" ? `"${name}"` : type === "QUOTE_SINGLE" ? `'${name}'` : name;
}
