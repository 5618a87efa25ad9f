import type { JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { Preparer } from "./prepare.js";
import type { ValueTemplate } from "./steps.js";

/** A field that is left out if there is no value for it. */
export function optional<K extends string, V>(key: K, value: V | undefined): { [P in K]?: V } {
  return (value === undefined ? {} : { [key]: value }) as { [P in K]?: V };
}

type Joined<P extends object[]> = P extends [infer A, ...infer R extends object[]] ? A & Joined<R> : unknown;
/** One object with the fields of several. V8 keeps one of many fields in a slow form where a literal spreads them. */
export function joined<P extends object[]>(...parts: P): Joined<P> {
  return Object.assign({}, ...parts) as Joined<P>;
}

/** Fields that hold values with templates in them. */
export function values<K extends string>(
  preparer: Preparer,
  raw: JsonObject,
  path: Path,
  keys: readonly K[],
): { [P in K]?: ValueTemplate } {
  const found: { [P in K]?: ValueTemplate } = {};
  for (const key of keys) {
    const value = raw[key];
    if (value !== undefined) found[key] = preparer.value(value, [...path, key]);
  }
  return found;
}

/** Fields that are texts as they stand. */
export function texts<K extends string>(value: JsonObject, keys: readonly K[]): Partial<Record<K, string>> {
  const found: Partial<Record<K, string>> = {};
  for (const key of keys) if (typeof value[key] === "string") found[key] = value[key];
  return found;
}

/** How long a trigger remembers what it knows, in milliseconds. @param path that of the trigger's kind */
export function retainKeysOf(preparer: Preparer, raw: JsonObject, path: Path): number | undefined {
  const at = [...path.slice(0, -1), "retain-keys"];
  const retained = preparer.duration(raw["retain-keys"], at);
  if (retained !== undefined && retained < 3_600_000)
    preparer.source.report(at, "trigger", '"retain-keys" must be at least 1h.');
  return retained;
}
