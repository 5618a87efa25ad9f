import { bounds } from "../values/bounds.js";
import { parseJson, type JsonSyntaxError, type Json, type JsonObject } from "../values/json.js";

/** Bodies that are lists of items, each readable as soon as it has come. */
export type ItemReading = "events" | "json-lines";

/** A line is not what its body promises; `message` says which and why. */
export class LineFault extends Error {
  override name = "LineFault";
}

/**
 * Reads items out of bytes as they come: server-sent events (HTML standard, section 9.2.6) as `{ event, data, id }` with
 * texts, or JSON values, one a line (blank lines are passed over). At most {@link bounds}.streamedItems are read.
 */
export class ItemReader {
  readonly #decoder = new TextDecoder();
  /** What has come of a line that has not ended, in pieces: joined once. */
  #open: string[] = [];
  #line = 0;
  #event: { event: string; data: string[]; id: string } = { event: "", data: [], id: "" };
  #endsWithReturn = false;
  items = 0;

  constructor(readonly kind: ItemReading) {}

  /** Whether more items came than are read. */
  get isFull(): boolean {
    return this.items >= bounds.streamedItems;
  }

  /** @throws LineFault */
  feed(bytes: Uint8Array): Json[] {
    return this.#take(this.#decoder.decode(bytes, { stream: true }));
  }

  /** What is left at the end: a line without its end is one, an event without its blank line is none. */
  end(): Json[] {
    const rest = this.#take(this.#decoder.decode());
    const last = this.#open.join("");
    return this.kind === "json-lines" && last !== "" ? [...rest, ...this.#ended(last)] : rest;
  }

  #take(text: string): Json[] {
    const found: Json[] = [];
    // The second half of a line end that was cut in two.
    let from = this.#endsWithReturn && text.startsWith("\n") ? 1 : 0;
    if (text !== "") this.#endsWithReturn = text.endsWith("\r");
    const ends = /\r\n|\n|\r/g;
    ends.lastIndex = from;
    for (let end = ends.exec(text); end && !this.isFull; end = ends.exec(text)) {
      this.#open.push(text.slice(from, end.index));
      from = ends.lastIndex;
      const line = this.#open.join("");
      this.#open = [];
      found.push(...this.#ended(line));
    }
    if (from < text.length && !this.isFull) this.#open.push(text.slice(from));
    return found;
  }

  #ended(line: string): Json[] {
    this.#line++;
    const item = this.kind === "json-lines" ? this.#json(line) : this.#field(line);
    if (item === undefined) return [];
    this.items++;
    return [item];
  }

  #json(line: string): Json | undefined {
    const text = line.trim();
    if (text === "") return undefined;
    try {
      return parseJson(text);
    } catch (error) {
      // Where it breaks, and not what stands there, which may be a secret.
      const { position } = error as JsonSyntaxError;
      const where = position === undefined ? "" : ` (it breaks at character ${position + 1})`;
      throw new LineFault(`line ${this.#line} is not JSON${where}`);
    }
  }

  #field(line: string): JsonObject | undefined {
    if (line === "") {
      const { event, data, id } = this.#event;
      this.#event = { event: "", data: [], id };
      return data.length === 0 ? undefined : { event: event || "message", data: data.join("\n"), id };
    }
    const at = line.indexOf(":");
    const name = at < 0 ? line : line.slice(0, at);
    const value = at < 0 ? "" : line.slice(at + 1).replace(/^ /, "");
    if (name === "data") this.#event.data.push(value);
    else if (name === "event" || name === "id") this.#event[name] = value;
    return undefined;
  }
}
