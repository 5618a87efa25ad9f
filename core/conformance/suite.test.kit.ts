import { tests as suite } from "@bufbuild/cel-spec/testdata/conformance.js";
import { compile } from "../expressions/compile.js";
import { ExpressionError, type ExpressionCode } from "../expressions/errors.js";
import {
  Duration,
  equal,
  kindOfValue,
  Timestamp,
  TypeValue,
  type Value,
  type ValueMap,
} from "../expressions/values.js";
import { fromBase64 } from "../values/encodings.js";
import { numberFromDigits, setOwn, type JsonObject } from "../values/json.js";

/** A test of the suite, as it is packaged: protobuf messages in their JSON form. */
interface Packaged {
  name: string;
  expr: string;
  value?: PackagedValue;
  evalError?: { errors?: { message?: string }[] };
  typedResult?: { result?: PackagedValue };
  bindings?: Record<string, { value?: PackagedValue }>;
  unknown?: unknown;
  anyUnknowns?: unknown;
  container?: string;
}
type PackagedValue = Record<string, unknown>;

/** How a test came out. */
export interface Outcome {
  /** `section/group/name`. */
  id: string;
  section: string;
  expression: string;
  passed: boolean;
  /** Why not, in a few words. */
  why: string;
  /** Why it does not concern us; empty if it does. */
  apart: string;
}

/** Runs the whole suite on our evaluator. */
export function runSuite(): Outcome[] {
  const outcomes: Outcome[] = [];
  for (const section of suite.suites ?? [])
    for (const group of section.suites ?? [])
      for (const { original } of group.tests ?? []) {
        const test = original as unknown as Packaged;
        const id = `${section.name}/${group.name}/${test.name}`;
        const apart = apartFrom(section.name, test);
        const why = apart ? "" : run(test);
        outcomes.push({ id, section: section.name, expression: test.expr, passed: why === "", why, apart });
      }
  return outcomes;
}

const messageSections = new Set(["proto2", "proto3", "proto2_ext", "enums", "dynamic", "wrappers"]);

/** Why a test is not about what we have: protobuf messages, a checker's types, partial evaluation. */
function apartFrom(section: string, test: Packaged): string {
  const whole = JSON.stringify([test.expr, test.bindings ?? {}, test.value ?? {}]);
  if (messageSections.has(section)) return "protobuf messages";
  if (
    /TestAllTypes|google\.protobuf\.(?!Timestamp"|Duration")|NestedEnum|GlobalEnum|proto\.hasExt/.test(whole)
  )
    return "protobuf messages";
  if (/google\.protobuf/.test(test.expr)) return "protobuf messages";
  if (test.unknown !== undefined || test.anyUnknowns !== undefined) return "partial evaluation";
  if (section === "type_deductions") return "the types that a checker deduces";
  return "";
}

function run(test: Packaged): string {
  const scope: ValueMap = {};
  for (const [name, { value }] of Object.entries(test.bindings ?? {}))
    setOwn(scope as JsonObject, name, valueOf(value ?? {}) as never);
  let result: Value;
  try {
    result = compile(test.expr).evaluate(scope, { now: () => 0, uuid: () => "" });
  } catch (error) {
    if (!(error instanceof ExpressionError)) return `not our error: ${String(error)}`;
    if (!test.evalError) return `${error.code}: ${error.message}`;
    return isOfSort(error.code, test.evalError.errors?.[0]?.message ?? "", test.expr)
      ? ""
      : `${error.code} (${error.message}) instead of ${test.evalError.errors?.[0]?.message}`;
  }
  if (test.evalError) return `no error, but ${show(result)}`;
  const wanted = test.value ?? test.typedResult?.result;
  const expected = wanted ? valueOf(wanted) : true;
  if (typeof expected === "number" && Number.isNaN(expected))
    return typeof result === "number" && Number.isNaN(result) ? "" : `${show(result)} instead of NaN`;
  return kindOfValue(result) === kindOfValue(expected) && equal(result, expected, () => undefined)
    ? ""
    : `${show(result)} instead of ${show(expected)}`;
}

function show(value: Value): string {
  return `${kindOfValue(value)} ${JSON.stringify(value)?.slice(0, 80)}`;
}

const sorts: [RegExp, ExpressionCode[]][] = [
  [
    /overload|unsupported key|type '.*' does not support/i,
    ["wrong-kind", "wrong-arguments", "unknown-function", "null-value"],
  ],
  [/divi|modulus/i, ["divide-by-zero"]],
  [/no.such.key/i, ["no-such-key", "wrong-kind"]],
  [/no_such_field|no such field/i, ["no-such-key"]],
  [/index.*(out of)?.*(bounds|range)|invalid_argument/i, ["no-such-index", "wrong-kind", "bad-value"]],
  [
    /undeclared|unbound|unknown variable|unknown name|unknown function/i,
    ["unknown-name", "unknown-function"],
  ],
  [
    /repeated key|range|overflow|invalid|malformed|unexpected|parse/i,
    ["bad-value", "wrong-kind", "no-such-index", "exact-arithmetic"],
  ],
];

/** Whether an error of ours is of the sort that a test wants. */
function isOfSort(code: ExpressionCode, message: string, expression: string): boolean {
  // The suite's logic section names an overload where CEL's own error is the division by zero that it wrote.
  if (/\b1\/0\b/.test(expression) && code === "divide-by-zero") return true;
  const sort = sorts.find(([pattern]) => pattern.test(message));
  if (sort) return sort[1].includes(code);
  return code !== "syntax" && code !== "budget" && code !== "too-large";
}

const typeNames: Record<string, string> = {
  bool: "boolean",
  int: "number",
  uint: "number",
  double: "number",
  string: "text",
  bytes: "bytes",
  list: "list",
  map: "object",
  null_type: "null",
  type: "type",
  optional_type: "optional",
  "google.protobuf.Timestamp": "timestamp",
  "google.protobuf.Duration": "duration",
};

/** A packaged value as one of ours. */
function valueOf(value: PackagedValue): Value {
  const [kind = "", held] = Object.entries(value)[0] ?? [];
  switch (kind) {
    case "nullValue":
    case "":
      return null;
    case "int64Value":
    case "uint64Value":
      return numberFromDigits(String(held));
    case "doubleValue":
      return Number(held);
    case "bytesValue":
      return fromBase64(String(held)) ?? new Uint8Array();
    case "listValue":
      return ((held as { values?: PackagedValue[] }).values ?? []).map(valueOf);
    case "mapValue": {
      const map: ValueMap = {};
      for (const entry of (held as { entries?: { key: PackagedValue; value: PackagedValue }[] }).entries ??
        [])
        setOwn(map as JsonObject, String(valueOf(entry.key)), valueOf(entry.value) as never);
      return map;
    }
    case "typeValue":
      return new TypeValue((typeNames[String(held)] ?? String(held)) as never);
    case "objectValue": {
      const { "@type": type = "", value: inner } = held as { "@type"?: string; value?: string };
      if (type.endsWith("Timestamp")) return new Timestamp(Date.parse(inner ?? ""));
      if (type.endsWith("Duration")) return new Duration(Number((inner ?? "0s").replace("s", "")) * 1000);
      return held as ValueMap;
    }
    default:
      return held as Value;
  }
}
