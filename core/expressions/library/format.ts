import { Exact } from "../../values/json.js";
import { toHex, utf8 } from "../../values/encodings.js";
import { printSeconds } from "../../values/durations.js";
import {
  Duration,
  isMap,
  kindOfValue,
  textOfBytes,
  Timestamp,
  TypeValue,
  Optional,
  type Kind,
  type Value,
  type ValueMap,
} from "../values.js";
import { CallFailure } from "./entry.js";

/**
 * Formats values into a text as CEL's `format` does (strings extension): `%s`, `%d`, `%f` and `%e` with a precision,
 * `%b`, `%o`, `%x`, `%X`, `%%`.
 */
export function formatText(pattern: string, values: Value[]): string {
  let made = "";
  let used = 0;
  for (let at = 0; at < pattern.length; at++) {
    if (pattern[at] !== "%") {
      made += pattern[at];
      continue;
    }
    const clause = /^%(?:\.(\d+))?([%sdfebxXo])/.exec(pattern.slice(at, at + 8));
    if (!clause)
      throw new CallFailure(
        "bad-value",
        `"${pattern.slice(at, at + 2)}" is not a clause; there are %s %d %f %e %b %o %x %X and %%.`,
        0,
      );
    at += clause[0].length - 1;
    const [, digits, letter = ""] = clause;
    if (letter === "%") {
      made += "%";
      continue;
    }
    if (used >= values.length)
      throw new CallFailure(
        "bad-value",
        `there is no value for clause ${used + 1}: the list has ${values.length}.`,
        1,
      );
    made += formatOne(letter, digits === undefined ? undefined : Number(digits), values[used++] as Value);
  }
  if (used < values.length)
    throw new CallFailure("bad-value", `the list has ${values.length} values, for ${used} clauses.`, 1);
  return made;
}

function formatOne(letter: string, digits: number | undefined, value: Value): string {
  if (digits !== undefined && digits > 100)
    throw new CallFailure("bad-value", "a precision is at most 100.", 0);
  switch (letter) {
    case "s":
      return shown(value);
    case "d":
      return decimal(value);
    case "f":
      return finite(value, "f", (number) => fixed(number, digits ?? 6));
    case "e":
      return finite(value, "e", (number) =>
        number.toExponential(digits ?? 6).replace(/e([+-])(\d)$/, "e$10$2"),
      );
    case "b":
      return typeof value === "boolean" ? (value ? "1" : "0") : whole(value, "b").toString(2);
    case "o":
      return whole(value, "o").toString(8);
    default: {
      const hex =
        typeof value === "string"
          ? toHex(utf8(value))
          : value instanceof Uint8Array
            ? toHex(value)
            : whole(value, letter).toString(16);
      return letter === "X" ? hex.toUpperCase() : hex;
    }
  }
}

function wrong(letter: string, value: Value): CallFailure {
  return new CallFailure("wrong-kind", `%${letter} cannot write ${kindOfValue(value)}.`, 1);
}

function decimal(value: Value): string {
  if (value instanceof Exact) return value.digits;
  if (typeof value === "number") return String(value);
  throw wrong("d", value);
}

function whole(value: Value, letter: string): bigint {
  if (value instanceof Exact && /^-?\d+$/.test(value.digits)) return BigInt(value.digits);
  if (typeof value === "number" && Number.isInteger(value)) return BigInt(value);
  throw wrong(letter, value);
}

function finite(value: Value, letter: string, print: (number: number) => string): string {
  const number = value instanceof Exact ? Number(value.digits) : value;
  if (typeof number !== "number") throw wrong(letter, value);
  return Number.isFinite(number) ? print(number) : String(number);
}

/** Rounds to digits; exact halves go to the even neighbour (IEEE 754), which `toFixed` does not do. */
function fixed(number: number, digits: number): string {
  const text = number.toFixed(digits);
  const rest =
    number
      .toFixed(Math.min(100, digits + 25))
      .split(".")[1]
      ?.slice(digits) ?? "";
  if (!/^50*$/.test(rest)) return text;
  const last = /\d(?=\D*$)/.exec(text)?.[0];
  if (Number(last) % 2 === 0) return text;
  return (number - Math.sign(number) * 10 ** -digits * 0.5).toFixed(digits);
}

const typeNames: Partial<Record<Kind, string>> = {
  text: "string",
  boolean: "bool",
  object: "map",
  null: "null_type",
};

/** A value as `%s` writes it: texts as they are, also inside lists; keys in their order. */
function shown(value: Value): string {
  if (typeof value === "string") return value;
  if (value === null || typeof value === "boolean" || typeof value === "number") return String(value);
  if (value instanceof Exact) return value.digits;
  if (value instanceof Uint8Array) return textOfBytes(value) ?? "";
  if (value instanceof Timestamp) return new Date(value.millis).toISOString().replace(".000Z", "Z");
  if (value instanceof Duration) return printSeconds(value.millis);
  if (value instanceof TypeValue) return typeNames[value.kind as Kind] ?? value.kind;
  if (value instanceof Optional)
    return value.value === undefined ? "optional.none()" : `optional.of(${shown(value.value)})`;
  if (Array.isArray(value)) return `[${(value as Value[]).map(shown).join(", ")}]`;
  if (!isMap(value)) throw wrong("s", value);
  const keys = Object.keys(value as ValueMap).sort();
  return `{${keys.map((key) => `${key}: ${shown((value as ValueMap)[key] as Value)}`).join(", ")}}`;
}
