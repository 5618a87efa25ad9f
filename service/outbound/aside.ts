import {
  bounds,
  type BodyReading,
  isSlowToRead,
  readBody,
  type HttpResponse,
  type ReadBody,
  type Reader,
} from "@copper-kettle/core";
import { existsSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { Worker } from "node:worker_threads";

/** What the thread is given, and what it says. */
export interface AsideRequest {
  number: number;
  response: HttpResponse;
  as: BodyReading | undefined;
}
export interface AsideAnswer {
  number: number;
  /** What was read, as JSON: that is quicker to hand over than the value. */
  json: string;
}

/** The built file: a thread cannot run the source. */
const file = ["./aside-thread.js", "./dist/outbound/aside-thread.js", "../dist/outbound/aside-thread.js"]
  .map((path) => fileURLToPath(new URL(path, import.meta.url)))
  .find((path) => existsSync(path));

interface Waiting {
  resolve(read: ReadBody): void;
  request: AsideRequest;
}

/** Reads large XML and CSV in a thread of its own, one after the other, so that nobody else waits; all else at once. */
export class AsideReader {
  #worker: Worker | undefined;
  #next = 0;
  /** The first is being read, the others wait for it. */
  readonly #waiting: Waiting[] = [];
  #timer: NodeJS.Timeout | undefined;
  #closed = false;

  /** @param thread what the thread runs @param millis how long the reading of one response may take */
  constructor(
    readonly thread = file,
    readonly millis: number = bounds.readMillis,
  ) {}

  readonly read: Reader = async (response, as) => {
    const { thread } = this;
    if (!isSlowToRead(response, as) || thread === undefined || this.#closed) return readBody(response, as);
    return new Promise((resolve) => {
      this.#waiting.push({ resolve, request: { number: this.#next++, response, as } });
      if (this.#waiting.length === 1) this.#begin();
    });
  };

  async close(): Promise<void> {
    this.#closed = true;
    const worker = this.#worker;
    while (this.#waiting.length > 0) this.#giveUp("was cut off because the service stopped");
    await worker?.terminate();
  }

  /** Has the first of those that wait read. */
  #begin(): void {
    const [first] = this.#waiting;
    if (!first || this.#closed) return;
    this.#timer = setTimeout(() => this.#giveUp("takes too long"), this.millis);
    this.#running().postMessage(first.request);
  }

  #running(): Worker {
    if (this.#worker) return this.#worker;
    const worker = new Worker(this.thread as string, { resourceLimits: { maxOldGenerationSizeMb: 2_048 } });
    worker.unref();
    worker.on("message", ({ number, json }: AsideAnswer) => {
      if (this.#waiting[0]?.request.number === number) this.#end(JSON.parse(json) as ReadBody);
    });
    worker.on("error", () => this.#worker === worker && this.#giveUp("takes too much memory"));
    this.#worker = worker;
    return worker;
  }

  /** Nothing comes of the first one: it has no body, and the next one gets a new thread. */
  #giveUp(why: string): void {
    void this.#worker?.terminate();
    this.#worker = undefined;
    this.#end({ body: null, fault: `Reading this body ${why}.` });
  }

  #end(read: ReadBody): void {
    clearTimeout(this.#timer);
    this.#waiting.shift()?.resolve(read);
    this.#begin();
  }
}
