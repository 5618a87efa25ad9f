import { Exact, isObject, own, setOwn, type Json, type JsonObject } from "./json.js";
import { percentEncode, toBase64, toBase64Url, utf8 } from "./encodings.js";
import type { Path } from "./paths.js";

/** What stands where a secret was. */
export const mask = "•••";

/** Secrets shorter than this many characters are masked by their place only: by value they would match by chance. */
export const leastLength = 8;

/**
 * The secrets of one run (or of the whole service): finds them in any text, also URL-encoded, JSON-escaped and
 * in Base64 at all three alignments, and puts {@link mask} in their place.
 */
export class MaskSet {
  readonly #values = new Set<string>();
  #pattern: RegExp | undefined;

  /** Takes in secrets; the ones that are too short to be found by value are left to their places. */
  add(values: Iterable<string>): boolean {
    const before = this.#values.size;
    for (const value of values) if (value.length >= leastLength) this.#values.add(value);
    if (this.#values.size === before) return false;
    this.#pattern = undefined;
    return true;
  }

  /** Forgets secrets that hold no more: tokens that were replaced. */
  remove(values: Iterable<string>): void {
    for (const value of values) if (this.#values.delete(value)) this.#pattern = undefined;
  }

  get size(): number {
    return this.#values.size;
  }

  values(): string[] {
    return [...this.#values];
  }

  /** Masks every occurrence in a text. */
  text(text: string): string {
    if (this.#values.size === 0) return text;
    return text.replace(this.#regex(), mask);
  }

  found(text: string): boolean {
    if (this.#values.size === 0) return false;
    const regex = this.#regex();
    regex.lastIndex = 0;
    return regex.test(text);
  }

  /** A copy of a value in which every text, key and number that shows a secret is masked. */
  json(value: Json): Json {
    if (this.#values.size === 0) return value;
    if (typeof value === "string") return this.text(value);
    if (typeof value === "number" || value instanceof Exact) return this.found(String(value)) ? mask : value;
    if (Array.isArray(value)) return value.map((item) => this.json(item));
    if (!isObject(value)) return value;
    const copy: JsonObject = {};
    for (const key of Object.keys(value)) setOwn(copy, this.text(key), this.json(own(value, key) as Json));
    return copy;
  }

  #regex(): RegExp {
    if (!this.#pattern) {
      const needles = new Set<string>();
      for (const value of this.#values) for (const form of formsOf(value)) needles.add(form);
      const longestFirst = [...needles].sort((a, b) => b.length - a.length);
      this.#pattern = new RegExp(
        longestFirst.map((needle) => needle.replace(/[\\^$.*+?()[\]{}|/-]/g, "\\$&")).join("|"),
        "g",
      );
    }
    return this.#pattern;
  }
}

/** Every way in which a secret may stand in a text that an answer, a log or a URL carries. */
function formsOf(secret: string): string[] {
  const encoded = percentEncode(secret);
  const loose = encodeURIComponent(secret.toWellFormed());
  const escaped = JSON.stringify(secret).slice(1, -1);
  const forms = [secret, encoded, loose, escaped, JSON.stringify(escaped).slice(1, -1)];
  for (const form of [encoded, loose]) {
    forms.push(
      form.replace(/%[0-9A-F]{2}/g, (code) => code.toLowerCase()),
      form.replaceAll("%20", "+"),
    );
  }
  const bytes = utf8(secret);
  for (let shift = 0; shift < 3; shift++) {
    const shifted = new Uint8Array(shift + bytes.length);
    shifted.set(bytes, shift);
    // The characters that mix with neighbouring bytes are left out at both ends.
    const first = shift === 0 ? 0 : shift === 1 ? 2 : 3;
    const whole = Math.floor(((shift + bytes.length) * 8) / 6);
    for (const text of [toBase64(shifted), toBase64Url(shifted)]) {
      const inner = text.slice(first, whole);
      if (inner.length >= leastLength) forms.push(inner);
    }
  }
  return forms;
}

/** A copy of a value with the mask at the given paths; a path that leads nowhere is passed over. */
export function maskPlaces(value: Json, places: readonly Path[]): Json {
  let copy = value;
  for (const place of places) copy = masked(copy, place, 0);
  return copy;
}

function masked(value: Json, place: Path, depth: number): Json {
  if (depth === place.length) return value === null ? null : mask;
  const part = place[depth] as string | number;
  if (Array.isArray(value)) {
    return value.map((item, index) =>
      part === "*" || part === index ? masked(item, place, depth + 1) : item,
    );
  }
  if (!isObject(value)) return value;
  if (own(value, String(part)) === undefined) return value;
  const copy: JsonObject = { ...value };
  setOwn(copy, String(part), masked(own(value, String(part)) as Json, place, depth + 1));
  return copy;
}

const secretNames = new Set([
  "accesstoken",
  "refreshtoken",
  "idtoken",
  "devicecode",
  "password",
  "clientsecret",
]);

/**
 * The places in an answer whose field names say that they are secret: the tokens of RFC 6749 and RFC 8628,
 * `password` and `client_secret`, whatever their case and dashes.
 */
export function secretPlaces(value: Json, base: Path = [], depth = 0): Path[] {
  if (depth > 32) return [];
  if (Array.isArray(value)) {
    return value.flatMap((item, index) =>
      typeof item === "object" ? secretPlaces(item, [...base, index], depth + 1) : [],
    );
  }
  if (!isObject(value)) return [];
  const places: Path[] = [];
  for (const key of Object.keys(value)) {
    const inner = own(value, key) as Json;
    if ((typeof inner === "string" && inner !== "") || typeof inner === "number") {
      if (secretNames.has(key.toLowerCase().replace(/[_-]/g, ""))) places.push([...base, key]);
    } else if (typeof inner === "object" && inner !== null)
      places.push(...secretPlaces(inner, [...base, key], depth + 1));
  }
  return places;
}
