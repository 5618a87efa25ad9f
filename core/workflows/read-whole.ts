import type { Node } from "yaml";
import { bounds } from "../values/bounds.js";
import type { Json } from "../values/json.js";
import { lineStartsOf, ProblemList } from "./problem-list.js";
import type { Problem } from "./problems.js";
import { Traps } from "./traps.js";
import { readYaml, yamlBounds, YamlBeyondBounds } from "./yaml-bounds.js";
import { explainYaml } from "./yaml-words.js";
import { ValueMaker } from "./yaml-value.js";

/** What the text of a workflow file holds. Nobody may change it: whoever reads the same text next gets it, too. */
export interface Reading {
  readonly text: string;
  /** As far as it could be read; undefined beyond a bound, or where there is nothing. */
  readonly root: Node | undefined;
  /** Whether all of it is YAML. */
  readonly isYaml: boolean;
  readonly lineStarts: readonly number[];
  /** What is wrong with how it is written. */
  readonly problems: readonly Problem[];
  /** Undefined when it cannot be read. */
  readonly value: Json | undefined;
  readonly size: ReadingSize;
}

/** What of a reading is bounded, as far as its text was read; and whether a part of it can be read by itself. */
export interface ReadingSize {
  values: number;
  tokens: number;
  /** No part of it depends on what stands elsewhere: a name for a value, a directive, a second document. */
  isPlain: boolean;
}

/** Reads a text from its beginning to its end. */
export function readWhole(text: string): Reading {
  const lineStarts = lineStartsOf(text);
  const list = new ProblemList(text, lineStarts);
  const size: ReadingSize = { values: 0, tokens: 0, isPlain: false };
  const read = readTree(text, list, size);
  const reading: Reading = {
    text,
    root: undefined,
    isYaml: false,
    problems: list.problems,
    lineStarts,
    value: undefined,
    size,
  };
  if (!read) return reading;
  const { root, faults, isYaml } = read;
  // What follows the first is mostly its consequence. Tags are said better below.
  const fault = faults.find(({ code }) => code !== "TAG_RESOLVE_FAILED");
  if (fault) {
    const { message, from, to } = explainYaml(fault.code, text, fault.pos, fault.message);
    list.at(from, to, "yaml", message, []);
  } else new Traps(text, list).look(root, [], false);
  const value = list.problems.length > 0 ? undefined : valueOf(root, list, size);
  return { ...reading, root, isYaml, value };
}

function readTree(text: string, list: ProblemList, size: ReadingSize) {
  if (text.length > bounds.fileLength) {
    list.at(0, 1, "too-large", `A workflow file may be ${bounds.fileLength} characters long.`, []);
    return undefined;
  }
  try {
    const { document, tokens } = readYaml(text, yamlBounds(bounds.fileValues));
    size.tokens = tokens;
    const { errors, warnings } = document;
    const root = (document.contents as Node | null) ?? undefined;
    return { root, faults: [...errors, ...warnings], isYaml: errors.length === 0 };
  } catch (error) {
    if (!(error instanceof YamlBeyondBounds)) throw error;
    const code = error.what === "faults" ? "yaml" : error.what === "depth" ? "too-deep" : "too-large";
    list.at(error.offset, error.offset + 1, code, error.message, []);
    return undefined;
  }
}

function valueOf(root: Node | undefined, list: ProblemList, size: ReadingSize): Json | undefined {
  const maker = new ValueMaker();
  try {
    const value = maker.value(root, 0);
    size.values = maker.made;
    size.isPlain = !maker.hasAnchors && !marksDocuments.test(list.text);
    return value;
  } catch (error) {
    if (!(error instanceof RangeError)) throw error;
    const message = `The file holds more than ${bounds.fileValues} values, or an alias that holds itself.`;
    list.at(0, 1, "too-large", message, []);
    return undefined;
  }
}
/** Lines that begin or end a document, or say something about it (YAML 1.2, sections 6.8 and 9.1). */
export const marksDocuments = /^(?:---|\.\.\.|%)/m;
