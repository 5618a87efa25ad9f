import {
  RequestRefused,
  TransportFailure,
  type CertificateFault,
  type FailureKind,
  type SendOptions,
} from "@copper-kettle/core";
import { CodingFault } from "./decode.js";

/** A body that came whole and cannot be unpacked; for whoever asked for no `broken` responses, like one that was cut. */
export class BodyFault extends TransportFailure {}

const notConnected = new Set([
  "ECONNREFUSED",
  "EHOSTUNREACH",
  "ENETUNREACH",
  "EADDRNOTAVAIL",
  "UND_ERR_CONNECT_TIMEOUT",
]);
const notResolved = new Set(["ENOTFOUND", "EAI_AGAIN", "EAI_FAIL"]);

/** What is known of a request that brought no complete response. */
export interface Under {
  /** Whether it was being handed to a connected socket. */
  begun: boolean;
  /** Why it was cut off by us. */
  reason: "connect" | "timeout" | "stop" | undefined;
  /** Why our own body could not be read to its end. */
  bodyFault: Error | undefined;
  /** What came of the response: its status line, and bytes of its body. */
  head: { status: number } | undefined;
  size: number;
}

/** Why a request brought no complete response, as the engine and people understand it. */
export function failureOf(error: unknown, exchange: Under, options: SendOptions, url: URL): Error {
  if (exchange.bodyFault) return exchange.bodyFault;
  const { begun, reason } = exchange;
  const cause = rootCause(error);
  if (cause instanceof RequestRefused || cause instanceof TransportFailure) return cause;
  if (cause instanceof CodingFault) return new BodyFault("cut", cause.message, true);
  const code = (cause as NodeJS.ErrnoException).code ?? "";
  const detail = code || (cause as Error).message;
  const fail = (kind: FailureKind, message: string, sent: boolean): TransportFailure =>
    new TransportFailure(kind, message, sent, false, undefined, detail);
  if (reason === "stop")
    return new TransportFailure("cut", "Cut off because the run was stopped.", begun, true);
  if (notResolved.has(code)) return fail("dns", `The name ${url.hostname} is not known.`, false);
  if (code === "UND_ERR_CONNECT_TIMEOUT" || reason === "connect") {
    return fail(
      "timeout",
      `${url.host} did not accept the connection within ${options.timeout.connect} ms.`,
      false,
    );
  }
  if (notConnected.has(code) && !begun)
    return fail("connect", `Nothing accepts connections at ${url.host}.`, false);
  // In TLS 1.3 the server refuses our certificate after we have begun to send; it has read none of it (RFC 8446,
  // sections 4.4.2.4 and 6.2).
  if (certificateAlert.test(code) || (tlsFault.test(code) && !begun)) {
    const { certificate, words } = tlsReason(code, cause as Error);
    const message = `The TLS connection to ${url.host} failed: ${words}`;
    return new TransportFailure("tls", message, false, false, certificate, detail);
  }
  if ((reason === "timeout" || /TIMEOUT/.test(code)) && exchange.head) {
    const { head, size } = exchange;
    const came = size === 0 ? "nothing of its body" : `${shownSize(size)} of its body`;
    return fail(
      "timeout",
      `${head.status} came from ${url.host}, and ${came}, but the response did not end within ${shownTime(options.timeout.response)}. A response that never ends is read with "read: events" or "read: json-lines", and "stop-when".`,
      begun,
    );
  }
  if (reason === "timeout" || /TIMEOUT/.test(code)) {
    return fail("timeout", `${url.host} did not respond within ${options.timeout.response} ms.`, begun);
  }
  if (begun)
    return fail("cut", `The connection to ${url.host} closed before the full response arrived.`, true);
  return fail("connect", `The connection to ${url.host} failed.`, false);
}

function shownSize(bytes: number): string {
  return bytes < 1_000 ? `${bytes} bytes` : `${Math.round(bytes / 1_000)} kB`;
}

function shownTime(millis: number): string {
  return millis < 1_000 ? `${millis} ms` : `${Math.round(millis / 1_000)} s`;
}

const certificateAlert = /^ERR_SSL_.*ALERT_(BAD_CERTIFICATE|CERTIFICATE|UNSUPPORTED_CERTIFICATE|UNKNOWN_CA)/;

/** What a TLS error means (RFC 8446 section 6.2). */
function tlsReason(code: string, error: Error): { certificate?: CertificateFault; words: string } {
  if (/ALERT_CERTIFICATE_EXPIRED/.test(code))
    return { certificate: "ours-expired", words: "the server says that our certificate has expired." };
  if (/ALERT_CERTIFICATE_REQUIRED/.test(code))
    return { certificate: "ours-wanted", words: "the server wants a client certificate." };
  if (/ALERT_UNKNOWN_CA/.test(code))
    return {
      certificate: "ours-unknown",
      words: "the server does not know the authority of our certificate.",
    };
  if (certificateAlert.test(code))
    return { certificate: "ours-refused", words: "the server does not accept our certificate." };
  if (code === "CERT_HAS_EXPIRED")
    return { certificate: "theirs-expired", words: "the server's certificate has expired." };
  if (/SELF_SIGNED|UNABLE_TO_(GET_ISSUER|VERIFY)/.test(code))
    return {
      certificate: "theirs-unknown",
      words:
        "the server's certificate is from an unknown authority. If that is your own, trust it under network: ckettle network set --help",
    };
  if (/WRONG_VERSION_NUMBER|PACKET_LENGTH_TOO_LONG|HTTP_REQUEST/.test(code) || notTls.test(error.message))
    return { words: "the server speaks no TLS on this port. Is it plain http there?" };
  return { words: error.message };
}

const notTls = /wrong version number|packet length too long|http request/i;
const tlsFault = /^(ERR_TLS|CERT_|DEPTH_ZERO|SELF_SIGNED|UNABLE_TO_|ERR_SSL|EPROTO)/;

function rootCause(error: unknown): unknown {
  let cause = error;
  for (let depth = 0; depth < 5; depth++) {
    const inner = cause instanceof AggregateError ? cause.errors[0] : (cause as Error | undefined)?.cause;
    if (!inner) break;
    cause = inner;
  }
  return cause;
}
