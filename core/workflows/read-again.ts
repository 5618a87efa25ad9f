import {
  Alias,
  isAlias,
  isCollection,
  isMap,
  isPair,
  isSeq,
  Pair,
  Scalar,
  YAMLMap,
  YAMLSeq,
  type Node,
} from "yaml";
import { bounds } from "../values/bounds.js";
import { own, setOwn, type Json, type JsonObject } from "../values/json.js";
import { valueAt, type Path } from "../values/paths.js";
import { lineEnd, lineStart } from "./edit-text.js";
import { withValue } from "./edit-value.js";
import { lineStartsOf, ProblemList } from "./problem-list.js";
import { marksDocuments, type Reading } from "./read-whole.js";
import { Traps } from "./traps.js";
import { readYaml, yamlBounds, YamlBeyondBounds } from "./yaml-bounds.js";
import { ValueMaker } from "./yaml-value.js";

/**
 * Reading of a text that is nearly one that was read before. In block style (YAML 1.2, section 8.2) each item of a
 * list and each pair of a mapping ends before the line on which the next one begins, and means the same wherever it
 * stands, so that those which changed can be read by themselves. The others stay the same nodes and values; behind the
 * change the nodes are moved.
 */

type Entry = YAMLMap["items"][number] | Node;
type Collection = YAMLMap | YAMLSeq;

/** Some items of a list, or pairs of a mapping, that begin and end with lines. */
interface Lines {
  /** The collections on the way, the outermost first; the last holds the entries. */
  way: readonly Collection[];
  /** Which entry of each leads to the next; of the last the first that is meant. */
  at: readonly number[];
  path: Path;
  /** The entry behind those that are meant. */
  last: number;
  /** Their text: from the start of a line to the start of another. */
  from: number;
  to: number;
}

/**
 * Reads a text of which only some lines are other than in one that was read.
 * @returns what reading all of it gives; undefined where that is to be done, as with a text that has a fault
 */
export function readAgain(before: Reading, text: string): Reading | undefined {
  if (!before.size.isPlain || before.value === undefined || text.length > bounds.fileLength) return undefined;
  const change = changeOf(before.text, text);
  const from = lineStart(before.text, change.from);
  const to = Math.min(lineEnd(before.text, change.to) + 1, before.text.length);
  // Where it is most of the text, all of it is read as fast; and what does not help is tried no longer than that takes.
  let left = before.text.length / 2;
  for (const lines of placesOf(before, from, to).reverse()) {
    left -= lines.to - lines.from;
    const read = left < 0 ? undefined : readLines(before, text, lines);
    if (read) return read;
  }
  return undefined;
}

/** Where two texts differ, as offsets in the first. */
function changeOf(before: string, after: string): { from: number; to: number } {
  const shorter = Math.min(before.length, after.length);
  let from = 0;
  while (from < shorter && before.charCodeAt(from) === after.charCodeAt(from)) from++;
  const [a, b] = [before.length - 1, after.length - 1];
  let same = 0;
  while (same < shorter - from && before.charCodeAt(a - same) === after.charCodeAt(b - same)) same++;
  return { from, to: before.length - same };
}

/** The entries that hold some lines: those of the outermost collection first, then those inside. */
function placesOf({ text, root }: Reading, from: number, to: number): Lines[] {
  const found: Lines[] = [];
  let [node, end]: [unknown, number] = [root, text.length];
  let [way, at, path]: [Collection[], number[], Path] = [[], [], []];
  while (isCollection(node) && !node.flow && node.items.length > 0) {
    const items = node.items as Entry[];
    const starts = items.map((item) => startOf(text, item));
    const first = starts.findLastIndex((start) => start !== undefined && start <= from);
    if (first < 0 || starts.some((start, index) => start === undefined && index > 0)) break;
    const next = starts.findIndex((start, index) => index > first && (start as number) >= to);
    const last = next < 0 ? items.length : next;
    end = next < 0 ? end : (starts[next] as number);
    [way, at] = [
      [...way, node as Collection],
      [...at, first],
    ];
    found.push({ way, at, path, last, from: starts[first] as number, to: end });
    if (last - first > 1) break;
    const entry = items[first] as Entry;
    path = [...path, nameOf(entry, first)];
    node = nodeOf(entry);
  }
  return found;
}

const nodeOf = (entry: Entry): unknown => (isPair(entry) ? entry.value : entry);
const nameOf = (entry: Entry, index: number): string | number =>
  isPair(entry) ? String((entry.key as Scalar).value) : index;

/** Where the line of an entry begins; undefined where something else stands before it on that line. */
function startOf(text: string, entry: Entry): number | undefined {
  const node = isPair(entry) ? (entry.key as Scalar) : entry;
  const at = node.range?.[0];
  // A key that is not there has no place of its own.
  if (at === undefined || (isPair(entry) && node.range?.[1] === at)) return undefined;
  const sign = isPair(entry) ? at : text.lastIndexOf("-", at - 1);
  const start = lineStart(text, sign);
  const isAlone = text.slice(start, sign).trim() === "";
  return isAlone && (sign === at || text.slice(sign + 1, at).trim() === "") ? start : undefined;
}

/** Reads the lines that stand now where some entries stood, and puts what they hold in the place of those. */
function readLines(before: Reading, text: string, lines: Lines): Reading | undefined {
  const { way, at, path, last, from, to } = lines;
  const by = text.length - before.text.length;
  const [old, first] = [way.at(-1) as Collection, at.at(-1) as number];
  const piece = text.slice(from, to + by);
  const isLast = to === before.text.length;
  if (!isLast && endsInSpaces(piece)) return undefined;
  const behind = isLast ? "" : another(old, indentOf(before.text, from));
  const read = readPiece(piece, behind, path.length);
  if (!read || read.root.constructor !== old.constructor) return undefined;
  const isAtSamePlace =
    startOf(piece, read.root.items[0] as Entry) === 0 && indentOf(piece, 0) === indentOf(before.text, from);
  if (!isAtSamePlace) return undefined;
  const entries = (read.root.items as Entry[]).map((entry) => moved(entry, from));
  const made = collectionsWith(lines, entries, by);

  const lineStarts = lineStartsOf(text);
  const list = new ProblemList(text, lineStarts);
  const [traps, maker] = [new Traps(text, list), new ValueMaker()];
  const holder = made.at(-1);
  if (isMap(holder)) traps.lookAtKeys(holder, path);
  const names = entries.map((entry, index) => nameOf(entry, first + index));
  for (const [index, entry] of entries.entries())
    traps.look(nodeOf(entry) as Node, [...path, names[index] as string | number], false);
  if (list.problems.length > 0) return undefined;
  const values = entries.map((entry) => maker.value(nodeOf(entry), path.length + 1));
  const gone = new ValueMaker();
  for (const entry of old.items.slice(first, last)) gone.value(nodeOf(entry as Entry), path.length + 1);
  const size = {
    values: before.size.values + maker.made - gone.made,
    // As if those that went were still there: to count them they would have to be read.
    tokens: before.size.tokens + read.tokens,
    isPlain: !maker.hasAnchors,
  };
  if (!size.isPlain || size.values > bounds.fileValues || size.tokens > yamlBounds(bounds.fileValues).tokens)
    return undefined;
  const held = valueAt(before.value as Json, path) as Json[] | JsonObject;
  const value = withValue(before.value, path, withEntries(held, holder, first, last, values));
  return { text, root: made[0], isYaml: true, lineStarts, problems: [], value, size };
}

/** Whether spaces stand on the blank lines at the end: whose they are, the line behind them says. */
function endsInSpaces(piece: string): boolean {
  const end = piece.slice(piece.trimEnd().length);
  return /[^\r\n]/.test(end.slice(end.search(/[\r\n]/)));
}

/** An entry more: where one comes behind them, the reader of YAML has faults to find that some lines alone do not have. */
const another = (collection: Collection, indent: number): string =>
  `${" ".repeat(indent)}${isMap(collection) ? "what comes behind:" : "-"} 0\n`;

/** What some lines hold by themselves, with an entry behind them or none; undefined where they have a fault. */
function readPiece(
  piece: string,
  behind: string,
  depth: number,
): { root: Collection; tokens: number } | undefined {
  if (marksDocuments.test(piece)) return undefined;
  const most = yamlBounds(bounds.fileValues);
  try {
    const { document, tokens } = readYaml(piece + behind, { ...most, depth: most.depth - depth });
    const { contents, errors, warnings } = document;
    const isSound = errors.length === 0 && warnings.length === 0;
    if (!isSound || !isCollection(contents) || contents.flow) return undefined;
    if (behind !== "") contents.items.pop();
    return contents.items.length > 0 ? { root: contents as Collection, tokens } : undefined;
  } catch (error) {
    if (error instanceof YamlBeyondBounds) return undefined;
    throw error;
  }
}

/** The collections on the way, with other entries in the last one. Where one ends its last entry says, not its own range. */
function collectionsWith({ way, at, last }: Lines, entries: readonly Entry[], by: number): Collection[] {
  const made: Collection[] = [];
  let inner = entries;
  for (let level = way.length - 1; level >= 0; level--) {
    const [old, first] = [way[level] as Collection, at[level] as number];
    const items = old.items as Entry[];
    const behind = level === way.length - 1 ? last : first + 1;
    const copy = copyOf(old, movedRange(old.range, 0, by));
    copy.items = [
      ...items.slice(0, first),
      ...inner,
      ...items.slice(behind).map((one) => moved(one, by)),
    ] as never;
    made.unshift(copy);
    const outer = (way[level - 1]?.items as Entry[] | undefined)?.[at[level - 1] as number];
    inner = [isPair(outer) ? new Pair(outer.key as Node, copy) : copy];
  }
  return made;
}

/** The value of a collection with other entries in the place of some. */
function withEntries(
  held: Json[] | JsonObject,
  holder: Collection | undefined,
  first: number,
  last: number,
  values: readonly Json[],
): Json {
  if (Array.isArray(held)) return [...held.slice(0, first), ...values, ...held.slice(last)];
  const made: JsonObject = {};
  for (const [index, entry] of (holder?.items as Entry[]).entries()) {
    const name = String(nameOf(entry, index));
    const isNew = index >= first && index < first + values.length;
    setOwn(made, name, (isNew ? values[index - first] : own(held, name)) as Json);
  }
  return made;
}

/** A node or a pair, and all below it, so many characters further behind. */
function moved<E extends Entry>(entry: E, by: number): E {
  if (by === 0) return entry;
  if (isPair(entry))
    return new Pair(
      moved(entry.key as Node, by),
      entry.value && moved(entry.value as Node, by),
    ) as unknown as E;
  const copy = copyOf(entry as Node, movedRange((entry as Node).range, by));
  if (isCollection(copy)) copy.items = (copy.items as Entry[]).map((one) => moved(one, by));
  return copy as E;
}

function movedRange(range: Node["range"], by: number, endBy = by): Node["range"] {
  return range && [range[0] + by, range[1] + endBy, range[2] + endBy];
}

function copyOf<N extends Node>(node: N, range: Node["range"]): N {
  const copy = isMap(node)
    ? new YAMLMap(node.schema)
    : isSeq(node)
      ? new YAMLSeq(node.schema)
      : isAlias(node)
        ? new Alias(node.source)
        : new Scalar((node as Scalar).value);
  return Object.assign(copy, node, { range }) as N;
}

const indentOf = (text: string, at: number): number =>
  /^ */.exec(text.slice(at, lineEnd(text, at)))?.[0].length ?? 0;
