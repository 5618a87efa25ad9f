import { isCollection, isMap, isScalar, isSeq, type Node, type YAMLMap, type YAMLSeq } from "yaml";
import type { Json } from "../values/json.js";
import { printPath, type Path } from "../values/paths.js";
import {
  behindDash,
  columnOf,
  cutFlow,
  cutLines,
  inFlow,
  keyAndValue,
  lineEnd,
  lineStart,
  nodesAt,
  pairOf,
  pairRange,
  rangeOf,
  valueText,
  type TextEdit,
} from "./edit-text.js";
import { readingOf } from "./reading.js";

/** A text cannot be changed so; `message` says why. The text is as it was. */
export class CannotEdit extends Error {
  override name = "CannotEdit";
}

/** The tree of a text. */
export function parsed(text: string): Node {
  const { root, isYaml } = readingOf(text);
  if (root && isYaml) return root;
  throw new CannotEdit("The file cannot be read as it is; correct it first.");
}

/** Sets a field; what it stands in is made if it is not there. */
export function setEdits(text: string, path: Path, value: Json): TextEdit[] {
  const root = parsed(text);
  const nodes = nodesAt(root, path);
  const found = nodes?.at(-1);
  if (nodes && found) return [replaceEdit(text, nodes.at(-2), path.at(-1) as string | number, found, value)];
  const key = path.at(-1) as string | number;
  const parent = nodesAt(root, path.slice(0, -1))?.at(-1);
  if (isSeq(parent)) return insertEdits(text, path.slice(0, -1), Number(key), fresh(text, value));
  if (isMap(parent)) return [addEdit(text, parent, String(key), value)];
  const made: Json = typeof key === "number" ? [value] : { [key]: value };
  return setEdits(text, path.slice(0, -1), made);
}

/** Puts a value in the place of another. */
export function replaceEdit(
  text: string,
  parent: Node | undefined,
  key: string | number,
  node: Node,
  value: Json,
  name?: string,
): TextEdit {
  if (isMap(parent)) {
    const pair = pairOf(parent, key);
    const [from, to] = pairRange(pair as never, text);
    const [keyFrom, keyEnd] = rangeOf(pair?.key, text);
    const written = name === undefined ? text.slice(keyFrom, keyEnd) : inFlow(text, name);
    const oneLine = parent.flow || isCommented(text, to);
    const set = oneLine ? inFlow(text, value) : valueText(value, columnOf(text, from));
    return { from, to, text: keyAndValue(written, set) };
  }
  const [from, to] = rangeOf(node, text);
  if ((isCollection(parent) && parent.flow) || isCommented(text, to))
    return { from, to, text: inFlow(text, value) };
  const dash = dashOf(text, from);
  if (!text.slice(dash, from).includes("\n"))
    return { from, to, text: behindDash(value, columnOf(text, from) - 2) };
  return { from: dash, to, text: `- ${behindDash(value, columnOf(text, dash))}` };
}

/** Whether a comment follows on the line: what ends in several lines would take it in. */
function isCommented(text: string, at: number): boolean {
  return text.slice(at, lineEnd(text, at)).trim() !== "";
}

/** Adds a key to a mapping: at its end, or behind one of its pairs. */
export function addEdit(text: string, map: YAMLMap, key: string, value: Json, behind = -1): TextEdit {
  const name = inFlow(text, key);
  const last = map.items.at(behind);
  if (map.flow || !last) {
    const pair = `${name}: ${inFlow(text, value)}`;
    const close = rangeOf(map, text)[1] - 1;
    if (!last) return { from: rangeOf(map, text)[0], to: close + 1, text: `{ ${pair} }` };
    const end = pairRange(last, text)[1];
    return { from: end, to: end, text: `, ${pair}` };
  }
  const first = map.items[0];
  const indent = columnOf(text, rangeOf(first?.key, text)[0]);
  const end = lineEnd(text, pairRange(last, text)[1]);
  const line = keyAndValue(name, valueText(value, indent));
  return { from: end, to: end, text: `\n${" ".repeat(indent)}${line}` };
}

/**
 * A mapping between brackets on a line that has grown too long, in lines of its own: the outermost one on the way to a
 * place. The value stays the same.
 */
export function loosened(text: string, path: Path): TextEdit[] {
  const map = nodesAt(parsed(text), path)?.find((node) => isMap(node) && node.flow);
  if (!isMap(map)) return [];
  const [from, to] = rangeOf(map, text);
  const own = text.slice(lineStart(text, from), from);
  // Only behind `key: ` and at the end of its line: between other brackets it stays as it is.
  const isWhole = lineEnd(text, to) === to && !text.slice(from, to).includes("\n");
  if (!/^ *(?:- )?[\w-]+: $/.test(own) || !isWhole || own.length + to - from <= longestLine) return [];
  const indent = own.length - own.trimStart().replace(/^- /, "").length + 2;
  const pairs = map.items.map((pair) => text.slice(rangeOf(pair.key, text)[0], pairRange(pair, text)[1]));
  const lines = pairs.map((pair) => `\n${" ".repeat(indent)}${pair}`).join("");
  return [{ from: from - 1, to, text: lines }];
}
/** A line that is longer is hard to read. */
const longestLine = 110;

/** Cuts a field or an item. */
export function removeEdit(text: string, path: Path): TextEdit {
  const root = parsed(text);
  const parent = nodesAt(root, path.slice(0, -1))?.at(-1);
  const key = path.at(-1);
  const missing = new CannotEdit(`There is nothing at ${printPath(path)}.`);
  if (!isCollection(parent) || key === undefined) throw missing;
  if (parent.items.length === 1 && nodesAt(root, path)) {
    const [from, to] = rangeOf(parent, text);
    return { from, to, text: isSeq(parent) ? "[]" : "{}" };
  }
  if (isMap(parent)) {
    const pair = pairOf(parent, key);
    if (!pair) throw missing;
    const [from, to] = pairRange(pair, text);
    return parent.flow ? cutFlow(text, from, to) : cutLines(text, from, to);
  }
  const item = isSeq(parent) ? (parent.items[Number(key)] as Node | undefined) : undefined;
  if (!item) throw missing;
  const [from, to] = rangeOf(item, text);
  return parent.flow ? cutFlow(text, from, to) : cutLines(text, dashOf(text, from), to);
}

/**
 * Removes an item with the comments right above it.
 * @param apart with the blank lines, too, that keep it apart: those above; of the first item those behind it
 */
export function removeWithComments(text: string, path: Path, apart: boolean): TextEdit {
  const edit = removeEdit(text, path);
  if (edit.text !== "") return edit;
  const from = commentsAbove(text, edit.from);
  if (!apart || lineStart(text, edit.from) !== edit.from) return { ...edit, from };
  if (path.at(-1) !== 0) return { ...edit, from: blankAbove(text, from) };
  const blank = /^(?:[ \t]*\n)*/.exec(text.slice(edit.to))?.[0].length ?? 0;
  return { ...edit, from, to: edit.to + blank };
}

/** Where the dash of a list item stands. */
function dashOf(text: string, item: number): number {
  return text.lastIndexOf("-", item - 1);
}

/** Where the lines of one kind right above a line begin. */
function linesAbove(text: string, line: number, kind: RegExp): number {
  let at = line;
  while (at > 0) {
    const before = lineStart(text, at - 1);
    if (!kind.test(text.slice(before, at))) break;
    at = before;
  }
  return at;
}
const commentsAbove = (text: string, line: number): number => linesAbove(text, line, /^[ \t]*#/);
const blankAbove = (text: string, line: number): number => linesAbove(text, line, /^\s*$/);

/** Whether a blank line keeps an item of a block list apart from the one above it. */
function isApart(text: string, item: unknown): boolean {
  const line = lineStart(text, dashOf(text, rangeOf(item, text)[0]));
  const from = commentsAbove(text, line);
  return blankAbove(text, from) < from;
}

/** An item as it is written into a list: the comments above its dash, and what follows the dash. */
export interface ItemText {
  above: string;
  item: string;
  /** Whether a blank line stands above that, and another item above it. */
  isApart?: boolean;
}
type PrintItem = (indent: number, flow: boolean) => ItemText;

/** A new item. */
export const fresh =
  (text: string, value: Json): PrintItem =>
  (indent, flow) => ({ above: "", item: flow ? inFlow(text, value) : behindDash(value, indent) });

/** Puts an item into a list. @param apart with a blank line between, where its neighbours have one */
export function insertEdits(
  text: string,
  list: Path,
  index: number,
  print: PrintItem,
  apart = false,
): TextEdit[] {
  const node = nodesAt(parsed(text), list)?.at(-1);
  const empty = isScalar(node) && node.value === null;
  if (!isSeq(node) && !empty) throw new CannotEdit(`There is no list at ${printPath(list)}.`);
  if (empty || (node as YAMLSeq).items.length === 0) return emptyList(text, list, node as Node, print);
  const { items, flow } = node as YAMLSeq;
  if (index < 0 || index > items.length) throw new CannotEdit(`The list has ${items.length} items.`);
  if (flow) {
    const { item } = print(0, true);
    const at = index < items.length ? rangeOf(items[index], text)[0] : rangeOf(items.at(-1), text)[1];
    return [{ from: at, to: at, text: index < items.length ? `${item}, ` : `, ${item}` }];
  }
  const first = dashOf(text, rangeOf(items[0], text)[0]);
  const indent = columnOf(text, first);
  const line = lineStart(text, first);
  const lines = linesOf(print(indent, false), indent);
  const neighbour = items[Math.max(1, Math.min(index, items.length - 1))];
  const gap = apart && neighbour && isApart(text, neighbour) ? "\n" : "";
  if (index > 0) {
    const end = lineEnd(text, rangeOf(items[index - 1], text)[1]);
    return [{ from: end, to: end, text: `\n${gap}${lines}` }];
  }
  if (text.slice(line, first).trim() === "") {
    const at = commentsAbove(text, line);
    return [{ from: at, to: at, text: `${lines}\n${gap}` }];
  }
  return [{ from: first, to: first, text: `${lines.trimStart()}\n${" ".repeat(indent)}` }];
}

/** The lines of an item in a block list. */
function linesOf({ above, item }: ItemText, indent: number): string {
  const space = " ".repeat(indent);
  return `${above.replaceAll(/^(?=.)/gm, space)}${space}- ${item}`;
}

/** A list without items is written as a new one. */
function emptyList(text: string, list: Path, node: Node, print: PrintItem): TextEdit[] {
  const parent = nodesAt(parsed(text), list.slice(0, -1))?.at(-1);
  const [from, to] = rangeOf(node, text);
  if (!isMap(parent) || parent.flow) return [{ from, to, text: `[${print(0, true).item}]` }];
  const [keyFrom, keyEnd] = rangeOf(pairOf(parent, list.at(-1) as string)?.key, text);
  const indent = columnOf(text, keyFrom) + 2;
  const lines = `${text.slice(keyFrom, keyEnd)}:\n${linesOf(print(indent, false), indent)}`;
  return [{ from: keyFrom, to: Math.max(to, text.indexOf(":", keyEnd) + 1), text: lines }];
}

/** An item of a block list as it is written, with the comments above it, as if its dash stood at the start of a line. */
export function ownText(text: string, path: Path): ItemText | undefined {
  const nodes = nodesAt(parsed(text), path);
  const [parent, item] = [nodes?.at(-2), nodes?.at(-1)];
  if (!isSeq(parent) || parent.flow || !item) return undefined;
  const [from, to] = rangeOf(item, text);
  const dash = dashOf(text, from);
  const indent = columnOf(text, dash);
  const line = lineStart(text, dash);
  const alone = text.slice(line, dash).trim() === "";
  const less = (lines: string): string =>
    indent > 0 ? lines.replaceAll(new RegExp(`^ {1,${indent}}`, "gm"), "") : lines;
  return {
    above: alone ? less(text.slice(commentsAbove(text, line), line)) : "",
    item: less(text.slice(dash + 1, lineEnd(text, to)).replace(/^ +/, "")),
    isApart: alone && path.at(-1) !== 0 && isApart(text, item),
  };
}

/** An item as it is written, indented for another place. */
export function indented({ above, item }: ItemText, indent: number): ItemText {
  return { above, item: item.replaceAll(/\n(?=[^\n])/g, `\n${" ".repeat(indent)}`) };
}
