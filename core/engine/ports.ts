import type { HttpRequest, HttpResponse } from "../http/message.js";
import type { Proof, TlsIdentity } from "../credentials/credential.js";
import type { Entry } from "./entries.js";
import type { Json, JsonObject } from "../values/json.js";
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
  /** JSON with the true values; to be sealed. Undefined where nothing was masked. */
  sealed: string | undefined;
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
  timeout: { connect: number; answer: number };
  signal: AbortSignal;
  /** The client certificate that the connection shows. */
  identity?: TlsIdentity;
  /** The largest answer that is read, in bytes after decoding; never above what the transport allows. */
  mostAnswer?: number;
}

export interface Transport {
  /**
   * Sends one request and reads its whole answer; follows no redirect.
   * @throws TransportFailure when no complete answer came; RequestRefused when the request is not allowed
   */
  send(request: HttpRequest, options: SendOptions): Promise<HttpResponse>;
}

/** A credential as it is ready for one send. */
export interface CredentialUse {
  proof: Proof;
  /** Told that the far side answered 401. True when what is read next is another proof, which may be taken. */
  refused(): Promise<boolean>;
  /** Told that the far side took it. */
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

/** Why a credential cannot be used; `message` says what to do. */
export class CredentialMissing extends Error {
  override name = "CredentialMissing";
}

/** A credential that needs a person to sign in: the run waits, and goes on by itself afterwards. */
export class CredentialWaits extends Error {
  override name = "CredentialWaits";
  constructor(
    readonly credential: string,
    message: string,
  ) {
    super(message);
  }
}

export interface Files {
  /** Keeps bytes for a run; what comes back is a file value. */
  keep(bytes: Uint8Array, about: { name: string; mediaType: string }): Promise<JsonObject>;
  /**
   * The bytes of a file of the run.
   * @throws RequestRefused where the run has no such file
   */
  read(id: string): Promise<Uint8Array>;
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

/** Everything outside that a run needs. */
export interface Ports {
  clock: Clock;
  journal: Journal;
  transport: Transport;
  credentials: Credentials;
  /**
   * An operation of a described API, as it was in a revision of its document.
   * @throws OperationMissing
   */
  operation(api: string, id: string, revision: number | undefined): Promise<DescribedOperation>;
  files: Files;
  /** A new random text of letters and digits, for authorizations. */
  nonce(): string;
  /** The constants as they are now. */
  constants(): JsonObject;
  /** Called once, after the response to the starter is durable. */
  respond(response: { status: number; headers: JsonObject; body: Json }): void;
}
