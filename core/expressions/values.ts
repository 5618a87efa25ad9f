import {
  Exact,
  canonicalDecimal,
  own,
  printJson,
  setOwn,
  type Json,
  type JsonObject,
} from "../values/json.js";
import { BudgetSpent, limits } from "./budget.js";
import { fromUtf8, toBase64 } from "../values/encodings.js";
import { printSeconds } from "../values/durations.js";

/** A point in time; milliseconds since 1970-01-01T00:00:00Z. */
export class Timestamp {
  constructor(readonly millis: number) {}
}

/** A length of time in milliseconds. */
export class Duration {
  constructor(readonly millis: number) {}
}

/** Whether a time lies in the years 1 to 9999, as in RFC 3339 and CEL. */
export function isTime(millis: number): boolean {
  return millis >= -62_135_596_800_000 && millis <= 253_402_300_799_999;
}

/** Whether a duration is at most 10,000 years long, as in CEL. */
export function isLength(millis: number): boolean {
  return Math.abs(millis) <= 315_576_000_000_000;
}

/** A value that may be there or not (CEL's optional type). */
export class Optional {
  constructor(readonly value: Value | undefined) {}
  static readonly none = new Optional(undefined);
}

/** A kind as a value, as `type(x)` gives it. */
export class TypeValue {
  constructor(readonly kind: string) {}
}

/** Whatever an expression can hold. Objects and lists are those of JSON, or hold such values. */
export type Value = Json | Uint8Array | Timestamp | Duration | Optional | TypeValue | Value[] | ValueMap;
export interface ValueMap {
  [key: string]: Value;
}

export type Kind =
  | "null"
  | "boolean"
  | "number"
  | "text"
  | "bytes"
  | "list"
  | "object"
  | "timestamp"
  | "duration"
  | "optional"
  | "type";

export function kindOfValue(value: Value): Kind {
  if (value === null) return "null";
  switch (typeof value) {
    case "boolean":
      return "boolean";
    case "number":
      return "number";
    case "string":
      return "text";
  }
  if (Array.isArray(value)) return "list";
  if (value instanceof Exact) return "number";
  if (value instanceof Uint8Array) return "bytes";
  if (value instanceof Timestamp) return "timestamp";
  if (value instanceof Duration) return "duration";
  if (value instanceof Optional) return "optional";
  if (value instanceof TypeValue) return "type";
  return "object";
}

export function isMap(value: Value): value is ValueMap {
  return kindOfValue(value) === "object";
}

/** Prints a timestamp as RFC 3339 in UTC with milliseconds. */
export function printTimestamp(value: Timestamp): string {
  return new Date(value.millis).toISOString();
}

/** What cannot leave an expression as JSON: a type, or a function. */
export class NotJson extends Error {}

/**
 * Turns what an expression gave into JSON: timestamps as RFC 3339 text, durations as `90s`, bytes as Base64,
 * an empty optional as nothing (undefined; left out of lists and objects).
 * @throws NotJson for a type; BudgetSpent for a value that blows up when its shared parts are written out
 */
export function toJson(value: Value): Json | undefined {
  return new Converter().convert(value);
}

class Converter {
  #left = limits.steps;

  convert(value: Value): Json | undefined {
    if (--this.#left < 0) throw new BudgetSpent("size");
    if (typeof value === "number" && !Number.isFinite(value))
      throw new NotJson(`${value} is not a number that can be sent or stored.`);
    if (value === null || typeof value !== "object") return value;
    if (Array.isArray(value)) return this.#list(value as Value[]);
    if (value instanceof Exact) return value;
    if (value instanceof Uint8Array) return toBase64(value);
    if (value instanceof Timestamp) return printTimestamp(value);
    if (value instanceof Duration) return printSeconds(value.millis);
    if (value instanceof Optional) return value.value === undefined ? undefined : this.convert(value.value);
    if (value instanceof TypeValue)
      throw new NotJson(`A type (${value.kind}) is not a value that can be sent or stored.`);
    return this.#object(value as JsonObject);
  }

  /** What holds only JSON is handed on as it is. */
  #list(value: Value[]): Json[] {
    let same = true;
    const items: Json[] = [];
    for (const item of value) {
      const plain = this.convert(item);
      if (plain !== item) same = false;
      if (plain !== undefined) items.push(plain);
    }
    return same ? (value as Json[]) : items;
  }

  #object(value: JsonObject): JsonObject {
    let same = true;
    const copy: JsonObject = {};
    for (const key of Object.keys(value)) {
      const inner = own(value, key) as Value;
      const plain = this.convert(inner);
      if (plain !== inner) same = false;
      if (plain !== undefined) setOwn(copy, key, plain);
    }
    return same ? value : copy;
  }
}

/**
 * A value as text inside a template: text as it is, numbers and booleans as in JSON, null and an empty optional as
 * nothing, lists and objects as JSON.
 */
export function toText(value: Value): string {
  const plain = toJson(value);
  if (plain === null || plain === undefined) return "";
  return typeof plain === "string" ? plain : plain instanceof Exact ? plain.digits : printJson(plain);
}

function isNumber(value: Value): value is number | Exact {
  return typeof value === "number" || value instanceof Exact;
}

/** CEL's equality: values of different kinds differ; numbers are equal when their decimal values are. */
export function equal(a: Value, b: Value, spend: (steps: number) => void): boolean {
  spend(1);
  if (a === b) return true;
  if (isNumber(a) && isNumber(b)) {
    if (typeof a === "number" && typeof b === "number") return false;
    return canonicalDecimal(String(a)) === canonicalDecimal(String(b));
  }
  const kind = kindOfValue(a);
  if (kind !== kindOfValue(b)) return false;
  switch (kind) {
    case "list": {
      const [left, right] = [a as Value[], b as Value[]];
      return (
        left.length === right.length && left.every((item, index) => equal(item, right[index] as Value, spend))
      );
    }
    case "object": {
      const [left, right] = [a as JsonObject, b as JsonObject];
      const keys = Object.keys(left);
      spend(2 * keys.length);
      if (keys.length !== Object.keys(right).length) return false;
      return keys.every((key) => {
        const other = own(right, key);
        return other !== undefined && equal(own(left, key) as Value, other, spend);
      });
    }
    case "bytes": {
      const [left, right] = [a as Uint8Array, b as Uint8Array];
      spend(left.length);
      return left.length === right.length && left.every((byte, index) => byte === right[index]);
    }
    case "timestamp":
    case "duration":
      return (a as Timestamp | Duration).millis === (b as Timestamp | Duration).millis;
    case "type":
      return (a as TypeValue).kind === (b as TypeValue).kind;
    case "optional": {
      const [left, right] = [(a as Optional).value, (b as Optional).value];
      return left === undefined || right === undefined ? left === right : equal(left, right, spend);
    }
    default:
      return false;
  }
}

/** Orders texts by their code points; by UTF-16 units, as `<` does, what lies beyond U+FFFF would come too early. */
function compareTexts(a: string, b: string, spend: (steps: number) => void): number {
  const length = Math.min(a.length, b.length);
  let at = 0;
  while (at < length && a.charCodeAt(at) === b.charCodeAt(at)) at++;
  spend(1 + (at >> 3));
  if (at === length) return a.length - b.length;
  return rank(a.charCodeAt(at)) - rank(b.charCodeAt(at));
}

/** A surrogate stands for something beyond all that is one unit. */
function rank(unit: number): number {
  return unit >= 0xd800 && unit <= 0xdfff ? unit + 0x10000 : unit;
}

/**
 * Orders two values of one kind: below, at or above zero. Undefined if the kinds have no order.
 * @param spend what it costs
 */
export function compare(a: Value, b: Value, spend: (steps: number) => void): number | undefined {
  if (isNumber(a) && isNumber(b)) {
    if (typeof a === "number" && typeof b === "number") return a - b;
    spend(10);
    return compareDecimals(String(a), String(b));
  }
  if (typeof a === "string" && typeof b === "string") return compareTexts(a, b, spend);
  if (typeof a === "boolean" && typeof b === "boolean") return Number(a) - Number(b);
  if (a instanceof Timestamp && b instanceof Timestamp) return a.millis - b.millis;
  if (a instanceof Duration && b instanceof Duration) return a.millis - b.millis;
  if (a instanceof Uint8Array && b instanceof Uint8Array) {
    for (let at = 0; at < Math.min(a.length, b.length); at++) {
      if (a[at] !== b[at]) return (a[at] as number) - (b[at] as number);
    }
    return a.length - b.length;
  }
  return undefined;
}

function compareDecimals(a: string, b: string): number {
  const [left, right] = [parts(a), parts(b)];
  if (left.sign !== right.sign) return left.sign - right.sign;
  if (left.sign === 0) return 0;
  const magnitude = left.digits.length + left.power - (right.digits.length + right.power);
  if (magnitude !== 0) return magnitude * left.sign;
  const length = Math.max(left.digits.length, right.digits.length);
  const [x, y] = [left.digits.padEnd(length, "0"), right.digits.padEnd(length, "0")];
  return x === y ? 0 : (x < y ? -1 : 1) * left.sign;
}

function parts(text: string): { sign: number; digits: string; power: number } {
  const match = /^(-?)(\d+)e(-?\d+)$/.exec(canonicalDecimal(text));
  if (!match) return { sign: 0, digits: "0", power: 0 };
  return { sign: match[1] === "-" ? -1 : 1, digits: match[2] as string, power: Number(match[3]) };
}

/** The text of bytes, or undefined when they are not UTF-8. */
export function textOfBytes(bytes: Uint8Array): string | undefined {
  try {
    return fromUtf8(bytes);
  } catch {
    return undefined;
  }
}
