import { isKeyName, mask } from "../../values/masking.js";
import {
  isObject,
  own,
  parseJson,
  printJson,
  setOwn,
  type Json,
  type JsonObject,
} from "../../values/json.js";
import type { PastedBody } from "./request.js";

/** Where a part of a key stands in a request. */
type KeyPlace = "header" | "query" | "cookie" | "path" | "body";

/** A part of a key that stood in a pasted request: where, and what. */
export interface FoundKey {
  place: KeyPlace;
  name: string;
  prefix: string;
  secret: string;
}

/** An id of an application says who asks, and is not a secret by itself; APIs want it beside their key. */
const withKey = /^(x-)?(api|app|client|access)[-_]?id$/i;
/** Names that sound like those of keys, and say where a list goes on, or how much there is. */
const noKey =
  /(page|next|continuation|sync|resume|cursor)[-_]?token|tokens?[-_]?(type|limit|count)|max[-_]?tokens/i;

/** Whether a text stands for something that whoever pasted it was to fill in: `$TOKEN`, `<your key>`, `YOUR_API_KEY`. */
export function isPlaceholder(text: string): boolean {
  return (
    /^(\$\{?\w+\}?|<[^<>]+>|\{+[^{}]+\}+|%\w+%|\[[A-Za-z][\w -]*\])$/.test(text) ||
    /^(your|my|insert|enter|replace|put|some|the)[-_ ]?(own[-_ ])?[a-z]*[-_ ]?(api|access|auth|bearer|secret|token|key|password|client|app|user)/i.test(
      text,
    ) ||
    /^(api[-_]?key|access[-_]?token|token|secret|password|changeme|[A-Z_]*(KEY|TOKEN|SECRET|PASSWORD))(_?HERE)?$/.test(
      text,
    ) ||
    /^([x*.]{3,}|…+)$/i.test(text)
  );
}

/**
 * Whether a text can hardly be anything but a key: a signed token (RFC 7519), or a long text of mixed letters and digits
 * that no word explains. UUIDs are ids.
 */
export function looksSecret(text: string): boolean {
  if (/^ey[A-Za-z0-9_-]{8,}\.[A-Za-z0-9_-]{4,}\.[A-Za-z0-9_-]*$/.test(text)) return true;
  if (text.length < 24 || text.length > 4_096 || !/^[A-Za-z0-9_+/=:.~-]+$/.test(text)) return false;
  if (/^[0-9a-f-]{36}$/i.test(text) || !/\d/.test(text) || !/[A-Za-z]/.test(text)) return false;
  if (/\d{4}-\d\d-\d\d|:\/\/|^\/|\.\w{2,4}$/.test(text)) return false;
  // Words with numbers behind them, such as a media type with its version.
  if (text.split(/[^A-Za-z0-9]+/).every((part) => /^([A-Za-z]*\d{0,3}|\d{4})$/.test(part))) return false;
  const isHex = /^[0-9a-f]+$/i.test(text);
  return isHex ? text.length >= 32 : entropy(text) >= 3.7;
}

/** Bits a character (C. E. Shannon, A Mathematical Theory of Communication, section 6). */
function entropy(text: string): number {
  const counts = new Map<string, number>();
  for (const character of text) counts.set(character, (counts.get(character) ?? 0) + 1);
  let bits = 0;
  for (const count of counts.values()) bits -= (count / text.length) * Math.log2(count / text.length);
  return bits;
}

/** Values under these names are long and random, and prove nothing. */
const idName =
  /(^|[-_])(ids?|uuid|etag|hash|sha\d*|md5|digest|checksum|cursor|page|after|before|nonce|trace|traceparent|request|correlation|idempotency)([-_]|$)|^if-|[a-z]Id$/i;

/** Gathers the keys of one pasted request, by their names and by their look, from every place. */
export class FoundKeys {
  readonly parts: FoundKey[] = [];

  constructor(readonly notes: string[]) {}

  /** Takes a value that is a key; false if it is none. */
  take(place: KeyPlace, name: string, value: Json): boolean {
    if (typeof value !== "string" || value === "" || !isSecret(name, value)) return false;
    this.parts.push({ place, name, prefix: "", secret: this.known(value, `the ${place} ${name}`) });
    return true;
  }

  /** A secret; empty, with a note, if only a placeholder stands for it. */
  known(value: string, where: string): string {
    if (!isPlaceholder(value)) return value;
    this.notes.push(`The key in ${where} is a placeholder (${value}). Give the real one to the credential.`);
    return "";
  }

  /** A path with `{key}` in the place of a part that is a key. */
  inPath(path: string): string {
    return path
      .split("/")
      .map((part) => {
        // Hexadecimal digits are ids: of a commit, of a file.
        if (!looksSecret(part) || /^[0-9a-f]+$/i.test(part)) return part;
        const name = this.parts.some(({ place }) => place === "path") ? `key${this.parts.length + 1}` : "key";
        this.parts.push({ place: "path", name, prefix: "", secret: part });
        this.notes.push(`A part of the path looks like a key. It stands as {${name}} in the path.`);
        return `{${name}}`;
      })
      .join("/");
  }

  /** Whether a part of a path is the place of a key. */
  isPlace(value: string): boolean {
    return this.parts.some(({ place, name }) => place === "path" && value === `{${name}}`);
  }

  /** A body without its keys: fields of its own become parts, and what lies deeper is masked. */
  inBody(body: PastedBody): PastedBody {
    switch (body.kind) {
      case "json": {
        const value = parsed(body.text);
        const left = isObject(value) ? this.#without(value) : value;
        const masked = left === undefined ? undefined : this.#masked(left, "");
        return masked === value || masked === undefined ? body : { ...body, text: printJson(masked) };
      }
      case "form":
        return { ...body, fields: this.#without(body.fields) };
      case "multipart":
        return { ...body, fields: this.#masked(body.fields, "") as JsonObject };
      default:
        return body;
    }
  }

  #without(fields: JsonObject): JsonObject {
    const left: JsonObject = {};
    let some = false;
    for (const name of Object.keys(fields)) {
      const value = own(fields, name) as Json;
      if (this.take("body", name, value)) some = true;
      else setOwn(left, name, value);
    }
    return some ? left : fields;
  }

  /** The same value where nothing in it is a key. */
  #masked(value: Json, name: string): Json {
    if (typeof value === "string") {
      if (value === "" || isPlaceholder(value) || !isSecret(name, value)) return value;
      this.notes.push(`The field ${name || "of the body"} looks like a key, and was masked.`);
      return mask;
    }
    if (Array.isArray(value)) {
      const items = value.map((item) => this.#masked(item, name));
      return items.some((item, at) => item !== value[at]) ? items : value;
    }
    if (!isObject(value)) return value;
    const copy: JsonObject = {};
    let changed = false;
    for (const key of Object.keys(value)) {
      const inner = own(value, key) as Json;
      const made = this.#masked(inner, key);
      changed ||= made !== inner;
      setOwn(copy, key, made);
    }
    return changed ? copy : value;
  }
}

function isSecret(name: string, value: string): boolean {
  if (noKey.test(name) || /^(true|false|null|bearer)$/i.test(value)) return false;
  return isKeyName(name) || withKey.test(name) || (!idName.test(name) && looksSecret(value));
}

function parsed(text: string): Json | undefined {
  try {
    return parseJson(text);
  } catch {
    return undefined;
  }
}
