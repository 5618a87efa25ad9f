import { isMap, isPair, isScalar, isSeq, type Node, type YAMLMap } from "yaml";
import { bounds } from "../values/bounds.js";
import type { Path } from "../values/paths.js";
import { lineStart } from "../workflows/edit-text.js";
import { readYaml, yamlBounds, YamlBeyondBounds } from "../workflows/yaml-bounds.js";

/** Where a caret stands in the text of a file, finished or not. */
export interface CaretPlace {
  /** The way to the mapping or list that the caret is in; of a value the way to the value itself. */
  path: Path;
  /** Whether a key stands there, or an item of a list; else a value. */
  isKey: boolean;
  /** The word at the caret, as offsets in the text. */
  from: number;
  to: number;
  /** Whether a colon stands behind the word. */
  hasColon: boolean;
  /** The mappings on the way, the outermost first, each with its own path. */
  maps: { path: Path; map: YAMLMap }[];
}

const mark = "ckettle-caret-mark";

/** The place of a caret; undefined where neither a key nor a plain word can stand. */
export function caretPlace(text: string, caret: number): CaretPlace | undefined {
  const segment = lastSegment(text.slice(lineStart(text, caret), caret));
  const isKey = /^\s*(?:- +)*["']?[\w-]*$/.test(segment);
  if (!isKey && !/^\s*(?:- +)*["']?[\w$.-]+["']?:\s+["']?[^\s"'{}[\],#]*$/.test(segment)) return undefined;
  const typed = (isKey ? /[\w-]*$/ : /[^\s"']*$/).exec(segment)?.[0] ?? "";
  const rest = /^[\w.-]*/.exec(text.slice(caret, caret + 200))?.[0].length ?? 0;
  const [from, to] = [caret - typed.length, caret + rest];
  const hasColon = /^["']?\s*:(?:\s|$)/.test(text.slice(to, to + 20));
  const marked = `${text.slice(0, from)}${mark}${isKey && !hasColon ? ": 0" : ""}${text.slice(to)}`;
  const maps: CaretPlace["maps"] = [];
  const path = wayTo(read(marked), [], maps);
  return path && { path: isKey ? path.slice(0, -1) : path, isKey, from, to, hasColon, maps };
}

/** The part of a line that begins behind the last bracket or comma of what is in brackets, outside of quotes and `${…}`. */
function lastSegment(line: string): string {
  let [start, depth, quote] = [0, 0, ""];
  for (let at = 0; at < line.length; at++) {
    const sign = line[at] as string;
    if (quote) {
      if (sign === quote) quote = "";
    } else if ((sign === '"' || sign === "'") && /[\s[{,]/.test(line[at - 1] ?? " ")) quote = sign;
    else if (sign === "$" && line[at + 1] === "{") {
      const end = line.indexOf("}", at);
      at = end < 0 ? line.length : end;
    } else if (sign === "{" || sign === "[") [start, depth] = [at + 1, depth + 1];
    else if (sign === "}" || sign === "]") depth--;
    else if (sign === "," && depth > 0) start = at + 1;
  }
  return line.slice(start);
}

/** What can be read of a text; the faults in it, and what lies beyond a bound, are for the check to tell. */
function read(text: string): Node | undefined {
  try {
    return readYaml(text, yamlBounds(bounds.fileValues)).document.contents as Node | undefined;
  } catch (error) {
    if (error instanceof YamlBeyondBounds) return undefined;
    throw error;
  }
}

/** The way to the mark, as a key or as a value; `maps` are those on it. */
function wayTo(node: unknown, path: Path, maps: CaretPlace["maps"]): Path | undefined {
  if (isScalar(node)) return String(node.value).includes(mark) ? path : undefined;
  if (isSeq(node)) {
    for (const [index, item] of node.items.entries()) {
      const found = wayTo(item, [...path, index], maps);
      if (found) return found;
    }
    return undefined;
  }
  if (!isMap(node)) return undefined;
  maps.push({ path, map: node as YAMLMap });
  for (const pair of node.items) {
    if (!isPair(pair)) continue;
    const key = isScalar(pair.key) ? String(pair.key.value) : "";
    if (key.includes(mark)) return [...path, mark];
    const found = wayTo(pair.value, [...path, key], maps);
    if (found) return found;
  }
  maps.pop();
  return undefined;
}

/** The keys of a mapping, without the one that is being typed. */
export const keysOf = (map: YAMLMap): string[] =>
  map.items.flatMap(({ key }) => (isScalar(key) && key.value !== mark ? [String(key.value)] : []));
