import { parse as parseLossless, stringify as stringifyLossless } from "lossless-json";
import { bounds } from "./bounds.js";
import { nestsDeeper } from "./depth.js";

/** A number that a double does not hold, kept by its decimal digits as they were written. */
export class Exact {
  constructor(readonly digits: string) {}

  /** The nearest double; for schemas and ordering only. */
  valueOf(): number {
    return Number(this.digits);
  }

  toString(): string {
    return this.digits;
  }

  toJSON(): number {
    sawExact = true; // read by printJson at once: nothing runs between the two
    return Number(this.digits);
  }
}

let sawExact = false;

export type Json = null | boolean | number | string | Exact | Json[] | JsonObject;
export interface JsonObject {
  [key: string]: Json;
}

export function isObject(value: unknown): value is JsonObject {
  return typeof value === "object" && value !== null && !Array.isArray(value) && !(value instanceof Exact);
}

/** An own property of an object, or undefined. Never reads the prototype. */
export function own(object: JsonObject, key: string): Json | undefined {
  return Object.prototype.hasOwnProperty.call(object, key) ? object[key] : undefined;
}

/** Sets an own property, also one named `__proto__`. */
export function setOwn(object: JsonObject, key: string, value: Json): void {
  if (key === "__proto__") {
    Object.defineProperty(object, key, { value, enumerable: true, configurable: true, writable: true });
  } else object[key] = value;
}

/** Where a number may have more digits than a double: looked for only where one can begin, times would hold it up. */
const longNumber = /(?:^|[\s:,[-])[0-9][0-9.]{15}|[0-9][eE][+-]?[0-9]{3}/;

/** IEEE 754, section 3.3: smaller doubles have fewer digits. */
const smallestNormal = 2 ** -1022;

/** A number from its JSON digits: a double where that keeps the decimal value, else an {@link Exact}. */
export function numberFromDigits(digits: string): number | Exact {
  const value = Number(digits);
  if (!Number.isFinite(value)) return new Exact(digits);
  // A double has room for 15 digits, but not near zero.
  if (digits.length <= 15 && Math.abs(value) >= smallestNormal) return value;
  if (digits === String(value)) return value;
  return canonicalDecimal(digits) === canonicalDecimal(String(value)) ? value : new Exact(digits);
}

/**
 * One spelling for each decimal value: sign, digits without outer zeros, power of ten.
 * Two JSON numbers are equal exactly when these texts are. Takes time in proportion to the number of digits.
 */
export function canonicalDecimal(digits: string): string {
  const match = /^(-?)(\d+)(?:\.(\d+))?(?:[eE]([+-]?\d+))?$/.exec(digits);
  if (!match) return digits;
  const [, sign, whole = "", fraction = "", exponent = "0"] = match;
  const all = whole + fraction;
  let first = 0;
  while (all.charCodeAt(first) === zero) first++;
  let end = all.length;
  while (end > first && all.charCodeAt(end - 1) === zero) end--;
  if (end === first) return "0";
  const power = Number(exponent) - fraction.length + (all.length - end);
  return `${sign}${all.slice(first, end)}e${power}`;
}

const zero = 0x30;

export class JsonSyntaxError extends Error {
  override name = "JsonSyntaxError";
  constructor(
    message: string,
    /** Offset in UTF-16 code units, where known. */
    readonly position: number | undefined,
  ) {
    super(message);
  }
}

/**
 * Reads JSON text (RFC 8259). Numbers that a double does not hold become {@link Exact}; the slower lossless
 * reader is used only where a scan of the text finds a candidate. Of a key that stands twice, the last one counts.
 * @throws JsonSyntaxError with the offset of the fault; also of a text that goes beyond the bounds
 */
export function parseJson(text: string): Json {
  if (nestsDeeper(text, bounds.jsonDepth))
    throw new JsonSyntaxError(`it is nested more than ${bounds.jsonDepth} deep`, undefined);
  try {
    if (!longNumber.test(text)) return JSON.parse(text) as Json;
    return losslessly(text);
  } catch (error) {
    throw error instanceof JsonSyntaxError ? error : syntaxError(text);
  }
}

function losslessly(text: string): Json {
  let exact = 0;
  const parseNumber = (digits: string): number | Exact => {
    const value = numberFromDigits(digits);
    if (value instanceof Exact && ++exact > bounds.exactNumbers)
      throw new JsonSyntaxError(
        `it holds more than ${bounds.exactNumbers} numbers of more digits than a double has`,
        undefined,
      );
    return value;
  };
  return parseLossless(text, undefined, {
    parseNumber,
    onDuplicateKey: ({ newValue }) => newValue,
  }) as Json;
}

/** The lossless reader says where a fault is, which the built-in one does not always do. */
function syntaxError(text: string): JsonSyntaxError {
  try {
    parseLossless(text, undefined, { onDuplicateKey: ({ newValue }) => newValue });
    return new JsonSyntaxError("it cannot be read", undefined);
  } catch (error) {
    const { message } = error as Error;
    const at = /position (\d+)/.exec(message);
    return new JsonSyntaxError(message, at ? Number(at[1]) : undefined);
  }
}

/** Prints JSON; {@link Exact} numbers with their own digits. `undefined` members are left out. */
export function printJson(value: unknown, indent?: number): string {
  sawExact = false;
  const plain = JSON.stringify(value, undefined, indent);
  if (!sawExact) return plain;
  return stringifyLossless(value, undefined, indent, [
    { test: (item) => item instanceof Exact, stringify: (item) => (item as Exact).digits },
  ]) as string;
}

/** Whether two JSON values are the same: numbers by decimal value, objects without regard to order. */
export function sameJson(a: Json, b: Json): boolean {
  if (a === b) return true;
  if (a instanceof Exact || b instanceof Exact) {
    const numeric = (value: Json) => value instanceof Exact || typeof value === "number";
    return numeric(a) && numeric(b) && canonicalDecimal(String(a)) === canonicalDecimal(String(b));
  }
  if (Array.isArray(a)) {
    return (
      Array.isArray(b) && a.length === b.length && a.every((item, index) => sameJson(item, b[index] as Json))
    );
  }
  if (!isObject(a) || !isObject(b)) return false;
  const keys = Object.keys(a);
  if (keys.length !== Object.keys(b).length) return false;
  return keys.every((key) => {
    const other = own(b, key);
    return other !== undefined && sameJson(own(a, key) as Json, other);
  });
}

/** A text that is the same for the same values, as {@link sameJson} compares them: for digests. */
export function canonicalJson(value: Json): string {
  if (typeof value === "number" || value instanceof Exact) return canonicalDecimal(String(value));
  if (Array.isArray(value)) return `[${value.map(canonicalJson).join(",")}]`;
  if (!isObject(value)) return JSON.stringify(value);
  const keys = Object.keys(value).sort();
  return `{${keys.map((key) => `${JSON.stringify(key)}:${canonicalJson(own(value, key) as Json)}`).join(",")}}`;
}

/** Whether a value nests deeper than `most`. Looks no deeper than that, however deep it goes. */
export function isDeeper(value: unknown, most: number): boolean {
  if (typeof value !== "object" || value === null || value instanceof Exact) return false;
  if (most === 0) return true;
  if (Array.isArray(value)) return value.some((item) => isDeeper(item, most - 1));
  for (const key in value) if (isDeeper((value as Record<string, unknown>)[key], most - 1)) return true;
  return false;
}

/** The texts of all leaves of a value that say something; numbers by their digits. */
export function leafTexts(value: Json): string[] {
  if (value === null || typeof value === "boolean") return [];
  if (typeof value === "string") return value === "" ? [] : [value];
  if (Array.isArray(value)) return value.flatMap(leafTexts);
  if (isObject(value)) return Object.values(value).flatMap(leafTexts);
  return [printJson(value)];
}

/** A word for the kind of a value, as messages use it: null, boolean, number, text, list, object. */
export function kindOf(value: Json): string {
  if (value === null) return "null";
  if (typeof value === "boolean") return "boolean";
  if (typeof value === "number" || value instanceof Exact) return "number";
  if (typeof value === "string") return "text";
  return Array.isArray(value) ? "list" : "object";
}

/** The same for messages about what a file says, or what came: `empty`, `a text`, `a mapping`. It shows nothing of the value. */
export function aKind(value: Json): string {
  const kind = kindOf(value);
  return kind === "null" ? "empty" : kind === "object" ? "a mapping" : `a ${kind}`;
}
