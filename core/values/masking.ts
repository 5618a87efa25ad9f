import { Exact, isObject, leafTexts, own, setOwn, type Json, type JsonObject } from "./json.js";
import { Needles } from "./needles.js";
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
  readonly #needles = new Needles();

  /** @param instead what stands where something was found */
  constructor(readonly instead = mask) {}

  /** Takes in secrets; the ones that are too short to be found by value are left to their places. */
  add(values: Iterable<string>): boolean {
    const before = this.#values.size;
    for (const value of values) {
      if (value.length < leastLength || this.#values.has(value)) continue;
      this.#values.add(value);
      for (const form of formsOf(value)) this.#needles.add(form);
    }
    return this.#values.size > before;
  }

  /** Forgets secrets that hold no more: tokens that were replaced. */
  remove(values: Iterable<string>): void {
    let gone = false;
    for (const value of values) gone = this.#values.delete(value) || gone;
    if (!gone) return;
    this.#needles.clear();
    for (const value of this.#values) for (const form of formsOf(value)) this.#needles.add(form);
  }

  get size(): number {
    return this.#values.size;
  }

  has(value: string): boolean {
    return this.#values.has(value);
  }

  values(): string[] {
    return [...this.#values];
  }

  /** Masks every occurrence in a text. */
  text(text: string): string {
    return this.#values.size === 0 ? text : this.#needles.replace(text, this.instead);
  }

  found(text: string): boolean {
    return this.#values.size > 0 && this.#needles.next(text, 0) !== undefined;
  }

  /** Whether bytes show a secret: as text in UTF-8, or in an encoding that puts NULs between (UTF-16, UTF-32). */
  foundInBytes(bytes: Uint8Array): boolean {
    if (this.#values.size === 0) return false;
    const text = new TextDecoder().decode(bytes);
    return this.found(text) || (text.includes("\0") && this.found(text.replaceAll("\0", "")));
  }

  /** A copy of a value in which every text, key and number that shows a secret is masked. */
  json(value: Json): Json {
    if (this.#values.size === 0) return value;
    if (typeof value === "string") return this.text(value);
    if (typeof value === "number" || value instanceof Exact)
      return this.found(String(value)) ? this.instead : value;
    if (Array.isArray(value)) return value.map((item) => this.json(item));
    if (!isObject(value)) return value;
    const copy: JsonObject = {};
    for (const key of Object.keys(value)) setOwn(copy, this.text(key), this.json(own(value, key) as Json));
    return copy;
  }
}

/** Every way in which a secret may stand in a text that a response, a log or a URL carries. */
function formsOf(secret: string): string[] {
  const encoded = percentEncode(secret);
  const loose = encodeURIComponent(secret.toWellFormed());
  const escaped = JSON.stringify(secret).slice(1, -1);
  // A host name that was made of it shows in lower case.
  const forms = [secret, secret.toLowerCase(), encoded, loose, escaped, JSON.stringify(escaped).slice(1, -1)];
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

/** Where places lead from a part of a value on: whether to all of it, and further on by key, index or `*`. */
interface Ways {
  whole: boolean;
  further: Map<string, Ways>;
}

/**
 * A copy of a value with the mask at the given paths, made in one pass however many they are; `*` stands for every item
 * or key, and a path that leads nowhere is passed over.
 */
export function maskPlaces(value: Json, places: readonly Path[]): Json {
  const root: Ways = { whole: false, further: new Map() };
  for (const place of places) {
    let at = root;
    for (const part of place) {
      let next = at.further.get(String(part));
      if (!next) at.further.set(String(part), (next = { whole: false, further: new Map() }));
      at = next;
    }
    at.whole = true;
  }
  return masked(value, [root]);
}

function masked(value: Json, ways: readonly Ways[]): Json {
  if (ways.length === 0) return value;
  if (ways.some(({ whole }) => whole)) return value === null ? null : mask;
  const along = (part: string): Ways[] =>
    ways.flatMap(({ further }) => [further.get(part), further.get("*")]).filter((way) => way !== undefined);
  if (Array.isArray(value)) return value.map((item, index) => masked(item, along(String(index))));
  if (!isObject(value)) return value;
  const copy: JsonObject = { ...value };
  for (const key of Object.keys(value)) setOwn(copy, key, masked(own(value, key) as Json, along(key)));
  return copy;
}

/** Names of fields that hold secrets in responses, without dashes and in lower case. */
const secretNames = new Set([
  "accesstoken",
  "refreshtoken",
  "idtoken",
  "devicecode",
  "password",
  "clientsecret",
]);

const plainName = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]/g, "");

/**
 * The places in a response whose field names say that they are secret: the tokens of RFC 6749 and RFC 8628,
 * `password` and `client_secret`, whatever their case and dashes.
 */
export function secretPlaces(value: Json, base: Path = []): Path[] {
  const places: Path[] = [];
  const look = (inner: Json, place: Path): void => {
    if (Array.isArray(inner)) {
      inner.forEach((item, index) => typeof item === "object" && look(item, [...place, index]));
      return;
    }
    if (!isObject(inner)) return;
    for (const key of Object.keys(inner)) {
      const part = own(inner, key) as Json;
      if ((typeof part === "string" && part !== "") || typeof part === "number" || part instanceof Exact) {
        if (secretNames.has(plainName(key))) places.push([...place, key]);
      } else if (typeof part === "object") look(part, [...place, key]);
    }
  };
  look(value, base);
  return places;
}

/** The values of such fields in a text of the form `name=value&…` (WHATWG URL, section 5.1), as it was written. */
export function secretFormValues(text: string): string[] {
  return [...text.matchAll(/(?:^|[?&;\s])([A-Za-z_-]{5,30})=([^&;\s]+)/g)].flatMap(
    ([, name = "", value = ""]) => (secretNames.has(plainName(name)) ? [value, decodedForm(value)] : []),
  );
}

function decodedForm(text: string): string {
  try {
    return decodeURIComponent(text.replaceAll("+", " "));
  } catch {
    return text;
  }
}

/**
 * Masks what stands behind names of secrets in a text that cannot be read as what it should be: `"password": "…"`,
 * `client_secret=…`. For texts of a few kB.
 */
export function maskNamedInText(text: string): string {
  const pair = /(["']?)([\w.-]{1,60})\1(\s{0,4}[:=]\s{0,4})("(?:[^"\\]|\\.)*"?|'[^']*'?|[^\s"'&,;}<]+)/g;
  return text.replace(pair, (whole, quote: string, name: string, between: string) =>
    secretNames.has(plainName(name)) ? `${quote}${name}${quote}${between}${mask}` : whole,
  );
}

/** A value in which whatever stands under the name of a key is masked, however deep. */
export function maskKeyNames(value: Json): Json {
  if (Array.isArray(value)) return value.map(maskKeyNames);
  if (!isObject(value)) return value;
  const copy: JsonObject = {};
  for (const key of Object.keys(value)) {
    const inner = own(value, key) as Json;
    const plain = inner === null || typeof inner === "boolean" || inner === "";
    setOwn(copy, key, isKeyName(key) && !plain ? mask : maskKeyNames(inner));
  }
  return copy;
}

/** The texts that stand under the names of keys in a value. */
export function keyNamed(value: Json): string[] {
  if (Array.isArray(value)) return value.flatMap(keyNamed);
  if (!isObject(value)) return [];
  return Object.keys(value).flatMap((key) => {
    const inner = own(value, key) as Json;
    return isKeyName(key) ? leafTexts(inner) : keyNamed(inner);
  });
}

const keyName =
  /authori[sz]ation|token|secret|passw(or)?d|passphrase|credential|signature|session|cookie|api-?_?key|(access|private|subscription|application|app|auth|client|account|service|user|hut|functions?)[-_]?key|[-_]key$|^(x-.*)?key$|^(auth|sig|pwd|jwt|bearer)$/i;

/**
 * Whether the name of a header, a query parameter or a field of a request says that its value proves who asks. For what
 * people type by hand: rather one too many is masked than one too few.
 */
export function isKeyName(name: string): boolean {
  return keyName.test(name) && !/idempotency/i.test(name);
}
