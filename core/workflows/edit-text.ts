import {
  Document,
  isAlias,
  isCollection,
  isMap,
  isPair,
  isScalar,
  isSeq,
  visit,
  type Node,
  type Pair,
} from "yaml";
import { isObject, printJson, type Json } from "../values/json.js";

/** A piece of a text that is put in the place of another. */
export interface TextEdit {
  from: number;
  to: number;
  text: string;
}

/** Applies edits that do not overlap. Of two insertions at one place the later one stands first. */
export function applied(text: string, edits: readonly TextEdit[]): string {
  const pieces: string[] = [];
  let last = 0;
  for (const edit of [...edits].sort((a, b) => b.from - a.from).reverse()) {
    pieces.push(text.slice(last, edit.from), edit.text);
    last = Math.max(last, edit.to);
  }
  return pieces.join("") + text.slice(last);
}

/** A collection in one line prints on one line up to this many characters; beyond, on a line for each key. */
const longestFlow = 100;
/** Collections so deep in each other stand in lines of their own. */
const deepestFlow = 3;

/** Where a node begins and its value ends, without the comments and blank lines behind it. */
export function rangeOf(node: unknown, text: string): [from: number, to: number] {
  const { range } = node as { range: [number, number, number] };
  return [range[0], contentEnd(node, text)];
}

/** Where the content of a node ends: behind its last value, or the bracket that closes it. */
function contentEnd(node: unknown, text: string): number {
  const { range } = node as { range: [number, number, number] };
  if (isCollection(node) && !node.flow && node.items.length > 0) {
    const last = node.items.at(-1);
    if (!isPair(last)) return contentEnd(last, text);
    return last.value ? contentEnd(last.value, text) : contentEnd(last.key, text);
  }
  const end = text.slice(range[0], range[1]).trimEnd().length;
  return range[0] + end;
}

/** Where a pair begins and ends. */
export function pairRange(pair: Pair, text: string): [from: number, to: number] {
  const [from, keyEnd] = rangeOf(pair.key, text);
  return [from, pair.value ? Math.max(contentEnd(pair.value, text), keyEnd) : keyEnd];
}

export function lineStart(text: string, at: number): number {
  // Before the first character there is none: `lastIndexOf` takes -1 for 0.
  return at === 0 ? 0 : text.lastIndexOf("\n", at - 1) + 1;
}

export function lineEnd(text: string, at: number): number {
  const end = text.indexOf("\n", at);
  return end < 0 ? text.length : end;
}

/** How far a place stands from the start of its line. */
export function columnOf(text: string, at: number): number {
  return at - lineStart(text, at);
}

const onOneLine = { lineWidth: 0, blockQuote: false, doubleQuotedMinMultiLineLength: 1e9 } as const;

/** A value on one line, as YAML's flow style writes it. */
export function flowText(value: Json): string {
  if (Array.isArray(value)) return `[${value.map(flowText).join(", ")}]`;
  if (isObject(value)) {
    const pairs = Object.entries(value).map(([key, inner]) => `${flowScalar(key)}: ${flowText(inner)}`);
    return pairs.length === 0 ? "{}" : `{ ${pairs.join(", ")} }`;
  }
  return flowScalar(value);
}

/** A scalar as it can stand between brackets. */
function flowScalar(value: Json): string {
  // Most words need no quotes, and are told at once.
  if (typeof value === "string" && /^[A-Za-z][A-Za-z0-9_./@-]*$/.test(value) && !yamlWords.test(value))
    return value;
  const document = new Document([value]);
  visit(document, {
    Collection: (_key, collection) => void (collection.flow = true),
    Scalar: (_key, scalar) => {
      if (typeof scalar.value === "string" && scalar.value.includes("\n")) scalar.type = "QUOTE_DOUBLE";
    },
  });
  return document
    .toString({ ...onOneLine, flowCollectionPadding: false })
    .trim()
    .slice(1, -1)
    .trim();
}
/** Words that YAML 1.1 or 1.2 reads as something else than a text. */
const yamlWords = /^(true|false|null|yes|no|on|off|y|n)$/i;

/** A value as it can stand between the brackets of a text: as JSON if the whole text is JSON. */
export function inFlow(text: string, value: Json): string {
  return /^\s*\{/.test(text) ? printJson(value) : flowText(value);
}

/**
 * A value as a person would write it behind `key:` or `-`: on the same line if it is short, else in lines that are
 * indented further than `indent`. It begins with a line break if it does not stand on the same line.
 */
export function valueText(value: Json, indent: number): string {
  if (typeof value !== "object" || value === null) return scalarText(value, indent);
  if (!isLong(value)) return flowText(value);
  return `\n${" ".repeat(indent + 2)}${blockText(value, indent + 2)}`;
}

/** A collection in block style; its first line stands at `indent` already. */
function blockText(value: Json, indent: number): string {
  const lineBreak = `\n${" ".repeat(indent)}`;
  if (Array.isArray(value)) return value.map((item) => `- ${behindDash(item, indent)}`).join(lineBreak);
  if (!isObject(value)) return flowText(value);
  return Object.entries(value)
    .map(([key, inner]) => keyAndValue(flowScalar(key), valueText(inner, indent)))
    .join(lineBreak);
}

/** An item of a block list, as it stands behind its dash; `indent` is where the dash stands. */
export function behindDash(value: Json, indent: number): string {
  if (typeof value !== "object" || value === null) return scalarText(value, indent);
  const isStep = isObject(value) && Object.keys(value).length > 0;
  return isStep || isLong(value) ? blockText(value, indent + 2) : flowText(value);
}

/** Whether a collection is written in block style. */
function isLong(value: Json): boolean {
  const holdsSteps = Array.isArray(value) && value.some((item) => isObject(item));
  if (typeof value !== "object" || value === null || Object.keys(value).length === 0) return false;
  // A list that is empty yet is one that is to be filled.
  const isToFill = Object.values(value as object).some((inner) => Array.isArray(inner) && inner.length === 0);
  if (holdsSteps || isToFill || nesting(value) >= deepestFlow) return true;
  const short = flowText(value);
  return short.length > longestFlow || short.includes("\n");
}

/** How many collections that are not empty stand in each other. */
function nesting(value: Json): number {
  if (typeof value !== "object" || value === null) return 0;
  const inner = Object.values(value as object) as Json[];
  return inner.length === 0 ? 0 : 1 + Math.max(...inner.map(nesting));
}

export function keyAndValue(key: string, value: string): string {
  return value.startsWith("\n") ? `${key}:${value}` : `${key}: ${value}`;
}

function scalarText(value: Json, indent: number): string {
  if (typeof value === "string" && /^\S[^\n]*\n/.test(value) && !/\n\n$|[^\P{Cc}\n]/u.test(value)) {
    const space = " ".repeat(indent + 2);
    const lines = value.replace(/\n$/, "").replaceAll(/^(?=.)/gm, space);
    return `|${value.endsWith("\n") ? "" : "-"}\n${lines}`;
  }
  const document = new Document(value);
  if (isScalar(document.contents) && typeof value === "string" && leavesOpen(value))
    document.contents.type = "QUOTE_DOUBLE";
  return document.toString(onOneLine).trimEnd();
}

/** Whether a `${` of a text has no end. Written without quotes it reads as a text that YAML has cut. */
export function leavesOpen(text: string): boolean {
  return text.includes("${") && text.lastIndexOf("}") < text.lastIndexOf("${");
}

/** Cuts a piece out of a flow collection, with the comma that belongs to it. */
export function cutFlow(text: string, from: number, to: number): TextEdit {
  const before = /,?\s*$/.exec(text.slice(Math.max(0, from - 10_000), from))?.[0] ?? "";
  if (before.startsWith(",")) return { from: from - before.length, to, text: "" };
  const after = /^\s*,?\s*/.exec(text.slice(to, to + 10_000))?.[0] ?? "";
  return { from, to: to + after.length, text: "" };
}

/** Cuts whole lines; if other things stand before the piece on its line, such as a dash, only the piece itself. */
export function cutLines(text: string, from: number, to: number): TextEdit {
  const end = Math.min(lineEnd(text, to) + 1, text.length);
  const start = lineStart(text, from);
  if (text.slice(start, from).trim() === "") return { from: start, to: end, text: "" };
  const rest = text.slice(end);
  const gap = /^(?:[ \t]*(?:#[^\n]*)?\n)*[ \t]*/.exec(rest)?.[0].length ?? 0;
  return { from, to: end + gap, text: "" };
}

/** The nodes on the way to a place; undefined if the way is not there, or passes an alias. */
export function nodesAt(root: Node | null, path: readonly (string | number)[]): Node[] | undefined {
  if (!root) return undefined;
  const nodes: Node[] = [root];
  for (const part of path) {
    const at = nodes.at(-1);
    let next: unknown;
    if (isMap(at)) next = pairOf(at, part)?.value;
    else if (isSeq(at)) next = at.items[Number(part)];
    if (!next || isAlias(next)) return undefined;
    nodes.push(next as Node);
  }
  return nodes;
}

/** The pair of a key. */
export function pairOf(map: { items: Pair[] }, key: string | number): Pair | undefined {
  return map.items.find((one) => isScalar(one.key) && String(one.key.value) === String(key));
}
