import { piecesOf } from "../http/body-pieces.test.kit.js";
import { responseMismatches } from "../apis/responses.js";
import { TransportFailure, type BrokenBody, type HttpRequest, type HttpResponse } from "../http/message.js";
import { readBody } from "../http/read-body.js";
import { utf8 } from "../values/encodings.js";
import { parseJson, printJson, type Json, type JsonObject } from "../values/json.js";
import { readWorkflow } from "../workflows/read.js";
import { advance, type Advanced } from "./advance.js";
import { journalFormat, type Entry } from "./entries.js";
import { targetOf } from "../workflows/ready-call.js";
import { readApi } from "../apis/openapi.js";
import {
  CredentialMissing,
  OperationMissing,
  type ChildEnd,
  type ChildStart,
  type FileAbout,
  type JournalRow,
  type Ports,
} from "./ports.js";
import type { RunOptions } from "./options.js";
import type { Proof } from "../credentials/credential.js";

export type Answer =
  { status: number; body?: unknown; text?: string; headers?: Record<string, string> } | "cut" | "refused";

/** What makes a response: the request, and how often this method and URL was asked for before. */
export type Responder = (request: HttpRequest, times: number) => Answer;

/** The process of a world was killed. */
export class Killed extends Error {}

/** A write of a world's journal failed; its process goes on. */
export class DiskFull extends Error {}

/** A world for one run: a clock that jumps, a journal in memory, a API that counts. */
export class World {
  time = Date.UTC(2027, 2, 1, 5);
  rows: JournalRow[] = [];
  readonly sent: HttpRequest[] = [];
  readonly responses: Json[] = [];
  readonly waits: number[] = [];
  readonly stop = new AbortController();
  readonly pause = new AbortController();
  credentials: Record<string, Proof> = {};
  /** Gives out credentials instead of those above. */
  readCredential: Ports["credentials"]["read"] | undefined;
  /** OpenAPI documents of APIs. */
  apis: Record<string, JsonObject> = {};
  constants: JsonObject = {};
  /** What is remembered, by key; changed at once, as another run would see it. */
  readonly remembered: Record<string, JsonObject> = {};
  /** Who holds a lock: the path of the step, or another run. */
  readonly locks = new Map<string, string>();
  /** How runs end that a step calls, by the name of their workflow; missing: never. */
  children: Record<string, ChildEnd> = {};
  readonly started: ChildStart[] = [];
  readonly stopped: string[] = [];
  /** What responses asked to wait, as the rate limit was told of it. */
  readonly toldOfLimits: unknown[] = [];
  options: RunOptions | undefined;
  inputs: JsonObject = {};
  /** The text of every body, instead of JSON. */
  text: string | undefined;
  /** Why no response has a body. */
  broken: BrokenBody | undefined;
  /** What was said of the files that were remembered. */
  readonly storedFiles: FileAbout[] = [];
  /** How many rows it may hold: at the one after them its process is killed, and does nothing more. */
  diesAt = Number.POSITIVE_INFINITY;
  /** Which write of its journal fails, counted from 0; those behind it fail too, until the run is taken up again. */
  failsAt = Number.POSITIVE_INFINITY;
  /** How many writes there were. */
  writes = 0;
  #broken = false;
  /** After how many sends it is killed: before anything that it was answered becomes durable. */
  diesAfterSends = Number.POSITIVE_INFINITY;
  /** Called before each send; may abort signals or throw. */
  beforeSend: (request: HttpRequest) => void = () => undefined;

  constructor(
    readonly file: string,
    readonly respond: Responder = () => ({ status: 200, body: null }),
  ) {}

  /** The entries with their true values. */
  entries(): Entry[] {
    return this.rows.map((row) => parseJson(row.sealed ?? row.open) as unknown as Entry);
  }

  start(): void {
    const entry: Entry = {
      type: "started",
      at: this.time,
      format: journalFormat,
      workflow: "test",
      version: 1,
      origin: "run-1",
      inputs: this.inputs,
      trigger: { kind: "by-hand", id: "t1", at: new Date(this.time).toISOString() },
      ...(this.options ? { options: this.options } : {}),
    };
    this.add(entry);
  }

  add(entry: Entry): void {
    this.rows.push({ entry, open: printJson(entry), sealed: undefined });
  }

  /** Takes the run as far as it goes, from what the journal holds. */
  async run(): Promise<Advanced> {
    const { workflow, problems } = readWorkflow(this.file);
    if (!workflow)
      throw new Error(problems.map((problem) => `${problem.line}: ${problem.message}`).join("\n"));
    if (this.rows.length === 0) this.start();
    this.#broken = false;
    const rouse = AbortSignal.any([this.stop.signal, this.pause.signal]);
    const signals = {
      stop: this.stop.signal,
      pause: this.pause.signal,
      rouse,
      cut: new AbortController().signal,
    };
    return advance(
      workflow,
      { id: "run-1", origin: "run-1", version: 1 },
      this.#ports(),
      this.entries(),
      signals,
    );
  }

  /** Runs on through every sleep, as a service would. */
  async runToEnd(): Promise<Advanced> {
    for (;;) {
      const result = await this.run();
      if (result.state !== "waiting") return result;
      this.time = Math.max(this.time, result.until as number);
    }
  }

  count(method: string): number {
    return this.sent.filter((request) => request.method === method).length;
  }

  #ports(): Ports {
    return {
      clock: {
        now: () => this.time,
        wait: async (millis, signal) => {
          if ((signal as unknown as globalThis.AbortSignal).aborted) throw signal.reason;
          this.waits.push(millis);
          await Promise.resolve();
          this.time += millis;
        },
      },
      journal: {
        write: async (rows) => {
          this.#broken ||= this.writes++ === this.failsAt;
          if (this.#broken) throw new DiskFull();
          const left = this.diesAt - this.rows.length;
          // Rows of one write become durable together.
          if (rows.length > left || this.sent.length >= this.diesAfterSends) this.diesAt = 0;
          if (this.diesAt === 0) throw new Killed();
          this.rows.push(...rows);
          await Promise.resolve();
        },
      },
      transport: {
        send: async (request, { enough }) => {
          const response = this.#send(request);
          for (let end = 8; enough && end - 8 < response.body.length; end += 8)
            if (enough(response.body.slice(end - 8, end)))
              return { ...response, body: response.body.slice(0, end), partial: true };
          return response;
        },
      },
      read: async (response, as) => readBody(response, as),
      credentials: {
        read: async (name, url) => {
          if (this.readCredential) return this.readCredential(name, url);
          const credential = this.credentials[name];
          if (!credential) throw new CredentialMissing("unknown", `There is no credential "${name}".`);
          return { proof: credential, refused: async () => false, accepted: () => undefined };
        },
      },
      operation: async (api, id) => {
        const document = this.apis[api] ?? {};
        const operation = readApi(document).operations.find((one) => one.id === id);
        if (!operation) throw new OperationMissing(`There is no operation "${api}.${id}".`);
        return {
          operation,
          ...targetOf(document, { servers: [`https://${api}.example`] }, operation),
          server: `https://${api}.example`,
          mismatches: (answer) => responseMismatches(document, operation, answer),
        };
      },
      files: {
        keep: async (bytes, about) => {
          this.storedFiles.push(about);
          let size = 0;
          for await (const piece of bytes) size += piece.length;
          return { file: "f1", size, name: about.name, mediaType: about.mediaType };
        },
        open: async () => piecesOf("bytes of a file"),
      },
      remembered: {
        read: (key) => ({ values: this.remembered[key] ?? {}, masked: [] }),
        change: ({ key, values }) => (this.remembered[key] = values),
      },
      rateLimits: {
        take: () => ({ done: (answer) => void this.toldOfLimits.push(answer?.headers["retry-after"]) }),
        expected: () => this.time,
        wait: async () => ({ done: () => undefined }),
      },
      locks: {
        take: (name, path) => {
          const holder = this.locks.get(name);
          if (holder !== undefined) return holder === path ? "had" : "busy";
          this.locks.set(name, path);
          return "taken";
        },
        secretName: (name) => `a secret name of ${name.length}`,
        wait: async () => false,
        holder: (name) => this.locks.get(name),
        release: (name) => this.locks.delete(name),
      },
      children: {
        start: async (child) => {
          if (!this.started.some(({ path }) => path === child.path)) this.started.push(child);
          return `child of ${child.path}`;
        },
        ended: async (run) => {
          const path = run.replace("child of ", "");
          return this.children[this.started.find((child) => child.path === path)?.workflow ?? ""];
        },
        stop: async (run) => void this.stopped.push(run),
      },
      nonce: () => "0a4f113b",
      constants: () => this.constants,
      respond: (response) => this.responses.push(response),
    };
  }

  #send(request: HttpRequest): HttpResponse {
    if (this.diesAt === 0) throw new Killed();
    this.beforeSend(request);
    const times = this.sent.filter(
      (other) => other.method === request.method && other.url === request.url,
    ).length;
    const answer = this.respond(request, times);
    if (answer === "refused") throw new TransportFailure("connect", "Nothing listens there.", false);
    this.sent.push(request);
    this.time += 10;
    if (answer === "cut") throw new TransportFailure("cut", "The connection was closed.", true);
    const text = this.text ?? answer.text ?? (answer.body === undefined ? "" : printJson(answer.body));
    const body = utf8(this.broken ? "" : text);
    return {
      ...(this.broken ? { broken: this.broken } : {}),
      status: answer.status,
      headers: { "content-type": "application/json", ...answer.headers },
      body,
      url: request.url,
    };
  }
}
