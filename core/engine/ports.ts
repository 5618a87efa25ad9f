import type { BodyReading, ReadBody } from "../http/read-body.js";
import type { BodyPieces } from "../http/body-pieces.js";
import type { HttpRequest, HttpResponse, ResponseHeaders } from "../http/message.js";
import type { Proof, Several, TlsIdentity } from "../credentials/credential.js";
import type { SeenResponse } from "../credentials/login.js";
import type { Entry, RunError, RunState } from "./entries.js";
import type { Json, JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { DescribedTarget } from "../workflows/steps.js";

/** Time, as the engine sees it. */
export interface Clock {
  /** Milliseconds since 1970. */
  now(): number;
  /** Resolves after some milliseconds, or rejects with the signal's reason when it is aborted before. */
  wait(millis: number, signal: AbortSignal): Promise<void>;
}

/** One entry as it goes into the store: the open form, and the true one where the two differ. */
export interface JournalRow {
  /** The entry itself, with its true values. */
  entry: Entry;
  /** JSON with every secret masked. */
  open: string;
  /** JSON with the true values; to be sealed. Undefined if nothing was masked. */
  sealed: string | undefined;
  /** What changes beside it, in the same commit. */
  change?: RowChange;
}

/** What becomes durable with a row of the journal, or not at all. */
export interface RowChange {
  remembered?: RememberedChange;
  /** A lock that its run takes, or gives back. */
  lock?: { name: string; path: string; held: boolean };
}

/** New values of one key of a workflow. */
export interface RememberedChange {
  key: string;
  values: JsonObject;
  /** Places in them that hold secrets, and how they show. */
  masked: Path[];
  shown: JsonObject;
  /** When they are forgotten, in milliseconds since 1970. */
  expires: number | undefined;
}

/** What a port gives at once where it has it in memory, and later where it has to ask. */
export type Soon<T> = T | Promise<T>;

/** Names that one step at a time may hold, of all runs; held through stops of the service. */
export interface Locks {
  /** Takes a name for a step of this run; `had` where it has it from before. */
  take(name: string, path: string): Soon<"taken" | "had" | "busy">;
  /** Waits in memory until the name may be free; false if it is not after some milliseconds. */
  wait(name: string, millis: number, signal: AbortSignal): Promise<boolean>;
  /** The run that holds a name. */
  holder(name: string): Soon<string | undefined>;
  /** What stands for a name that was made of a secret: the same for the same, and nobody can tell it back. */
  secretName(name: string): string;
  /** Gives a name back; its row is durable by then. */
  release(name: string, path: string): void;
}

/** A run that a step starts. */
export interface ChildStart {
  workflow: string;
  inputs: JsonObject;
  /** The step; the same one starts one run, however often it asks. */
  path: string;
  waits: boolean;
  rehearsal: boolean;
  /** What has to be masked in that run, too. */
  secrets: string[];
  /** Places in the inputs that hold secrets. */
  secretPlaces: Path[];
  /** How many calls lead to it. */
  depth: number;
}

/** How a run that was called has ended. */
export interface ChildEnd {
  state: RunState;
  response?: JsonObject;
  error?: RunError;
  /** Secrets that came up in it. */
  secrets: string[];
  /** Places in the response that hold secrets too short to be found by value. */
  masked: Path[];
}

/** Why a run cannot be started from another. */
export class ChildRefused extends Error {
  override name = "ChildRefused";
  constructor(
    readonly code: "busy" | "no-workflow" | "bad-inputs" | "not-allowed" | "too-deep",
    message: string,
  ) {
    super(message);
  }
}

export interface Children {
  /**
   * Starts a run of another workflow and returns its id.
   * @throws ChildRefused
   */
  start(child: ChildStart): Promise<string>;
  /** How a run has ended; undefined if it has not after some milliseconds. */
  ended(run: string, millis: number, signal: AbortSignal): Promise<ChildEnd | undefined>;
  stop(run: string): Promise<void>;
}

/** What decides how fast a call may go. */
export interface LimitedCall {
  url: string;
  api?: string;
  credential?: string;
  workflow: string;
}

/** The leave to send one request. */
export interface SendTurn {
  /** Told once that it is over; what the response says of the rate limit holds for all who share it. */
  done(answer: { status: number; headers: ResponseHeaders } | undefined): void;
}

/** The rate limit of all calls of the service: shared by whatever calls the same API with the same credential. */
export interface RateLimits {
  /** The leave to go at once; undefined if others are before it, or the rate limit lets none go now. */
  take(call: LimitedCall): Soon<SendTurn | undefined>;
  /** When it may expect to go, in milliseconds since 1970. */
  expected(call: LimitedCall): Soon<number>;
  /** Waits for its turn in memory; or says when to come back, where that takes longer than thought. */
  wait(call: LimitedCall, signal: AbortSignal): Promise<SendTurn | { until: number }>;
}

/** Values that are remembered, and the places in them that hold secrets. */
export interface RememberedValues {
  values: JsonObject;
  masked: Path[];
}

/** Values that outlive the run, of its workflow. */
export interface Remembered {
  /** What is remembered under a key; an empty object where nothing is. */
  read(key: string): RememberedValues;
  /** Takes in a change whose row is on its way to the journal. */
  change(change: RememberedChange): void;
}

export interface Journal {
  /**
   * Writes rows behind those written before. Resolves when they are durable; rows of one call become durable
   * together, and never before those of an earlier call.
   */
  write(rows: JournalRow[]): Promise<void>;
}

export interface SendOptions {
  /** Milliseconds. */
  timeout: { connect: number; response: number };
  signal: AbortSignal;
  /** The client certificate that the connection shows. */
  identity?: TlsIdentity;
  /** The largest response that is read, in bytes after decoding; never above what the transport allows. */
  longestResponse?: number;
  /**
   * Told of each piece of the body of a successful response as it comes; true ends the reading, and what has come is the
   * body. Such a response is asked for without a content coding.
   */
  enough?: (piece: Uint8Array) => boolean;
  /** Whether a response whose body cannot be had counts as one, with `broken`. Else it is an error like no response. */
  broken?: boolean;
}

export interface Transport {
  /**
   * Sends one request and reads its whole response; follows no redirect.
   * @throws TransportFailure when no complete response came; RequestRefused when the request is not allowed, or the
   * response is too large
   */
  send(request: HttpRequest, options: SendOptions): Promise<HttpResponse>;
}

/** A credential as it is ready for one send. */
export interface CredentialUse {
  proof: Proof | Several;
  /** Whether a response refuses the proof, where that is not status 401. */
  refusedBy?(response: SeenResponse): boolean;
  /** Told that the API refused it. True when what is read next is another proof, which may be taken. */
  refused(): Promise<boolean>;
  /** Told that the API took it. */
  accepted(): void;
}

export interface Credentials {
  /**
   * What proves who calls, for a request to a URL: read before each send, so that a new key heals a waiting run.
   * @throws CredentialMissing when it cannot be used; CredentialWaits when a person has to sign in first;
   * TransportFailure of kind `token` when no token could be had at the moment
   */
  read(name: string, url: string): Promise<CredentialUse>;
}

/**
 * Why a credential cannot be used: there is none of that name; parts of it are still to come; it may not be used in that
 * name; it is bound to no host, or to others; no token was given for it; it was forgotten meanwhile; its kind has no
 * sign-in.
 */
export type CredentialFaultCode =
  | "unknown"
  | "incomplete"
  | "not-allowed"
  | "no-host"
  | "not-for-this-host"
  | "no-token"
  | "forgotten"
  | "no-sign-in";

/** A credential that cannot be used; `message` says what to do. */
export class CredentialMissing extends Error {
  override name = "CredentialMissing";
  constructor(
    readonly code: CredentialFaultCode,
    message: string,
    options?: { cause: unknown },
  ) {
    super(message, options);
  }
}

/** A credential that needs a person to sign in: the run waits, and goes on by itself afterwards. */
export class CredentialWaits extends Error {
  override name = "CredentialWaits";
  constructor(
    readonly credential: string,
    message: string,
    /** How often it had become usable when it was asked for. */
    readonly seen: number,
  ) {
    super(message);
  }
}

export interface FileAbout {
  name: string;
  mediaType: string;
  /** Whether a secret shows in the bytes. */
  secret?: boolean;
}

export interface Files {
  /** Keeps bytes for a run, sealed where they hold a secret; what comes back is a file value. */
  keep(bytes: Iterable<Uint8Array> | AsyncIterable<Uint8Array>, about: FileAbout): Promise<JsonObject>;
  /**
   * The bytes of a file of the run.
   * @throws RequestRefused where the run has no such file
   */
  open(id: string): Promise<BodyPieces>;
}

/** An operation as a run calls it. */
export interface DescribedOperation extends DescribedTarget {
  /** The credential that its calls use where a step names none. */
  credential?: string;
}

/** Why an operation cannot be called; `message` says what to do. */
export class OperationMissing extends Error {
  override name = "OperationMissing";
}

/** Reads the body of a response as `readBody` does; a large one beside the service's own work. */
export type Reader = (response: HttpResponse, as: BodyReading | undefined) => Promise<ReadBody>;

/** Everything outside that a run needs. */
export interface Ports {
  clock: Clock;
  journal: Journal;
  transport: Transport;
  read: Reader;
  credentials: Credentials;
  /**
   * An operation of a described API, as it was in a revision of its document.
   * @throws OperationMissing
   */
  operation(api: string, id: string, revision: number | undefined): Promise<DescribedOperation>;
  files: Files;
  remembered: Remembered;
  rateLimits: RateLimits;
  locks: Locks;
  children: Children;
  /** A new random text of letters and digits, for authorizations. */
  nonce(): string;
  /** The constants as they are now. */
  constants(): JsonObject;
  /** Called once, after the response to the starter is durable. */
  respond(response: { status: number; headers: JsonObject; body: Json }): void;
}
