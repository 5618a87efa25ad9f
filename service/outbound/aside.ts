import {
  bounds,
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
  as: string | undefined;
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
  response: HttpResponse;
  timer: NodeJS.Timeout;
}

/** Reads large XML and CSV in a thread of its own, so that nobody else waits for it; all else at once. */
export class AsideReader {
  #worker: Worker | undefined;
  #next = 0;
  readonly #waiting = new Map<number, Waiting>();

  readonly read: Reader = async (response, as) => {
    if (!isSlowToRead(response, as) || file === undefined) return readBody(response, as);
    const worker = this.#running(file);
    const number = this.#next++;
    return new Promise((resolve) => {
      const timer = setTimeout(() => this.#end("takes longer than is waited for"), bounds.readMillis);
      this.#waiting.set(number, { resolve, response, timer });
      worker.postMessage({ number, response, as } satisfies AsideRequest);
    });
  };

  async close(): Promise<void> {
    const worker = this.#worker;
    this.#end("was cut off by the end of the service");
    await worker?.terminate();
  }

  #running(path: string): Worker {
    if (this.#worker) return this.#worker;
    const worker = new Worker(path, { resourceLimits: { maxOldGenerationSizeMb: 2_048 } });
    worker.unref();
    worker.on("message", ({ number, json }: AsideAnswer) => {
      this.#take(number, JSON.parse(json) as ReadBody);
    });
    worker.on("error", () => this.#worker === worker && this.#end("takes more memory than there is"));
    this.#worker = worker;
    return worker;
  }

  #take(number: number, read: ReadBody): void {
    const waiting = this.#waiting.get(number);
    this.#waiting.delete(number);
    clearTimeout(waiting?.timer);
    waiting?.resolve(read);
  }

  /** Nothing more comes of the thread: what waits for it has no body, and the next one gets a new thread. */
  #end(why: string): void {
    void this.#worker?.terminate();
    this.#worker = undefined;
    for (const number of [...this.#waiting.keys()])
      this.#take(number, { body: null, fault: `Reading this body ${why}.` });
  }
}
