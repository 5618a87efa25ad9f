import { RE2JS, RE2JSException } from "re2js";
import { Optional, type Value } from "../values.js";
import { CallFailure, type CallContext, type FunctionEntry } from "./entry.js";
import { define, maybe, number, text } from "./define.js";

const patterns = new Map<string, RE2JS>();

/** What it costs to compile a sign of a pattern and an instruction that it makes, in steps. */
const [signCost, instructionCost] = [150, 25];

/** A compiled RE2 pattern (linear time); the last 200 are kept. An evaluation pays once for each, kept or not. */
export function pattern(source: string, context: CallContext): RE2JS {
  const compiled = compiledPattern(source);
  if (context.isFirst(source))
    context.step(source.length * signCost + compiled.programSize() * instructionCost);
  return compiled;
}

function compiledPattern(source: string): RE2JS {
  const known = patterns.get(source);
  if (known) return known;
  let compiled: RE2JS;
  try {
    compiled = RE2JS.compile(source);
  } catch (error) {
    const why = error instanceof RE2JSException ? error.message : String(error);
    throw new CallFailure(
      "bad-value",
      `"${source.slice(0, 60)}" is not a regular expression (RE2): ${why}`,
      1,
    );
  }
  if (patterns.size >= 200) patterns.clear();
  patterns.set(source, compiled);
  return compiled;
}

/**
 * A pattern that takes linear time, for schemas: found anywhere in the text, as in JSON Schema (2020-12, section 6.3.3).
 * @throws Error where it is none, or needs what RE2 leaves out (references back, and looking ahead or behind)
 */
export function linearRegex(source: string): { test(text: string): boolean } {
  const compiled = RE2JS.compile(source);
  return { test: (text) => compiled.matcher(text).find() };
}

/** What a match gives: its one group where the pattern has one, else the whole. */
function picked(matcher: ReturnType<RE2JS["matcher"]>): string | null {
  return matcher.groupCount() === 0 ? matcher.group() : matcher.group(1);
}

function oneGroup(source: string, context: CallContext): RE2JS {
  const compiled = pattern(source, context);
  if (compiled.groupCount() > 1)
    throw new CallFailure(
      "bad-value",
      `the pattern has ${compiled.groupCount()} groups; it may have one. (?:…) groups without being one.`,
      1,
    );
  return compiled;
}

/** The replacement with \\1 … \\9 in it, as parts. */
function replacementParts(source: string, groups: number): (string | number)[] {
  const parts: (string | number)[] = [];
  for (const [piece] of source.matchAll(/\\[\s\S]?|[^\\]+/g)) {
    if (!piece.startsWith("\\")) parts.push(piece);
    else if (piece === "\\\\") parts.push("\\");
    else if (/^\\\d$/.test(piece)) {
      const group = Number(piece[1]);
      if (group > groups)
        throw new CallFailure("bad-value", `the pattern has no group ${group}; it has ${groups}.`, 2);
      parts.push(group);
    } else
      throw new CallFailure(
        "bad-value",
        `${piece} means nothing in a replacement: \\1 is a group, \\\\ a backslash.`,
        2,
      );
  }
  return parts;
}

export const regexFunctions: FunctionEntry[] = [
  define(
    "regex.extract",
    "function",
    [text(), text("pattern")],
    "optional",
    "What a regular expression (RE2) finds first, or its group, as an optional value.",
    [
      ['regex.extract("/huts/ab-12/plan", "/huts/([^/]+)/").orValue(null)', '"ab-12"'],
      ['regex.extract("hut", "[0-9]+").orValue(null)', "null"],
    ],
    ([value, source]: [string, string], context) => {
      context.step(value.length + (value.length >> 1) + 10);
      const matcher = oneGroup(source, context).matcher(value);
      if (!matcher.find()) return Optional.none;
      const found = picked(matcher);
      return found === null ? Optional.none : new Optional(found);
    },
  ),
  define(
    "regex.extractAll",
    "function",
    [text(), text("pattern")],
    "list",
    "All that a regular expression (RE2) finds, or its group in each.",
    [
      ['regex.extractAll("a1 b22", "[0-9]+")', '["1","22"]'],
      ['regex.extractAll("x=1;y=2", "([a-z])=")', '["x","y"]'],
    ],
    ([value, source]: [string, string], context) => {
      const matcher = oneGroup(source, context).matcher(value);
      const found: Value[] = [];
      context.step(value.length + (value.length >> 1) + 10);
      while (matcher.find()) {
        const one = picked(matcher);
        if (one !== null) found.push(one);
        context.step(10);
        context.make(one?.length ?? 1);
      }
      return found;
    },
  ),
  define(
    "regex.replace",
    "function",
    [text(), text("pattern"), text("with"), maybe(number("most"))],
    "text",
    "The text with what a regular expression (RE2) finds replaced; \\\\1 is the first group.",
    [
      ['regex.replace("2027-03-01", "(\\\\d+)-(\\\\d+)-(\\\\d+)", "\\\\3.\\\\2.\\\\1")', '"01.03.2027"'],
      ['regex.replace("a-b-c", "-", " ", 1)', '"a b-c"'],
    ],
    ([value, source, instead, most]: [string, string, string, number | undefined], context) => {
      const compiled = pattern(source, context);
      const parts = replacementParts(instead, compiled.groupCount());
      const matcher = compiled.matcher(value);
      context.step(value.length + (value.length >> 1) + 10);
      let made = "";
      let from = 0;
      for (let count = 0; (most === undefined || most < 0 || count < most) && matcher.find(); count++) {
        const piece =
          value.slice(from, matcher.start()) +
          parts.map((part) => (typeof part === "number" ? (matcher.group(part) ?? "") : part)).join("");
        context.make(piece.length);
        context.step(10);
        made += piece;
        from = matcher.end();
      }
      context.make(value.length - from);
      return made + value.slice(from);
    },
  ),
];
