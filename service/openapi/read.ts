import {
  bounds,
  Exact,
  isObject,
  parseJson,
  printJson,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import { existsSync } from "node:fs";
import { setImmediate } from "node:timers/promises";
import { fileURLToPath } from "node:url";
import { Worker } from "node:worker_threads";
import { BadDocument, loadDocument } from "./load.js";
import { settled, type Beside, type LeftOut } from "./settle.js";

/** A document that was given, with what was said beside it. */
export interface DocumentToRead {
  text: string;
  beside: Beside;
  /** Where it was fetched; null if its text was given. */
  source: string | null;
  /** The credential that its API has. */
  before: string | undefined;
}

/** A document as it is to be stored. */
export interface ReadDocument {
  /** As OpenAPI 3.1, printed. */
  json: string;
  /** Whether it has numbers of more digits than a number of JavaScript. */
  exact: boolean;
  /** What it was written in, such as `Swagger 2.0`. */
  written: string;
  notes: string[];
  leftOut: LeftOut[];
}

/** Loads a document and settles what was said beside it. @throws BadDocument */
export async function readDocument({ text, beside, source, before }: DocumentToRead): Promise<ReadDocument> {
  const { document: loaded, written, notes } = await loadDocument(text);
  const { document, notes: more, leftOut } = settled(loaded, beside, source, before);
  return {
    json: printJson(document),
    exact: hasExact(document),
    written,
    notes: [...notes, ...more],
    leftOut,
  };
}

function hasExact(value: Json): boolean {
  if (value instanceof Exact) return true;
  if (Array.isArray(value)) return value.some(hasExact);
  return isObject(value) && Object.values(value).some(hasExact);
}

/** The built file: a thread cannot run the source. */
const file = ["./load-thread.js", "../dist/openapi/load-thread.js"]
  .map((path) => fileURLToPath(new URL(path, import.meta.url)))
  .find((path) => existsSync(path));

/** A shorter text is read at once. */
const shortEnough = 100_000;

/** Reads documents beside the service's other work, one after the other: a large one takes seconds. */
export class DocumentReader {
  #last: Promise<unknown> = Promise.resolve();

  /** @param thread what the thread runs @param millis how long the reading of one document may take */
  constructor(
    readonly thread = file,
    readonly millis: number = bounds.documentMillis,
  ) {}

  /** @throws BadDocument, also for one that takes too long or too much memory */
  async read(given: DocumentToRead): Promise<ReadDocument & { document: JsonObject }> {
    const { thread } = this;
    if (given.text.length < shortEnough || thread === undefined)
      return withDocument(await readDocument(given));
    const mine = this.#last.then(() => this.#aside(thread, given));
    this.#last = mine.catch(() => undefined);
    const read = await mine;
    await setImmediate();
    return withDocument(read);
  }

  #aside(thread: string, given: DocumentToRead): Promise<ReadDocument> {
    return new Promise((resolve, reject) => {
      const worker = new Worker(thread, {
        workerData: given,
        resourceLimits: { maxOldGenerationSizeMb: 2_048 },
      });
      const timer = setTimeout(
        () => end(() => reject(new BadDocument("Reading the document takes too long."))),
        this.millis,
      );
      const end = (settle: () => void): void => {
        clearTimeout(timer);
        void worker.terminate();
        settle();
      };
      worker.once(
        "message",
        ({ read, fault }: { read?: ReadDocument; fault?: { name: string; message: string } }) =>
          end(() => {
            if (read) resolve(read);
            else
              reject(
                fault?.name === "BadDocument" ? new BadDocument(fault.message) : new Error(fault?.message),
              );
          }),
      );
      worker.once("error", () =>
        end(() => reject(new BadDocument("Reading the document takes too much memory."))),
      );
    });
  }
}

/** The value that was printed: the reader of JavaScript is many times as quick as ours, and knows no long numbers. */
function withDocument(read: ReadDocument): ReadDocument & { document: JsonObject } {
  const document = (read.exact ? parseJson(read.json) : JSON.parse(read.json)) as JsonObject;
  return { ...read, document };
}
