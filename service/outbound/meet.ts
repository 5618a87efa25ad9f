import { TransportFailure, RequestRefused, type TlsIdentity } from "@copper-kettle/core";
import { lookup } from "node:dns/promises";
import { connect as connectTcp, type Socket } from "node:net";
import { connect as connectTls, type DetailedPeerCertificate, type TLSSocket } from "node:tls";
import { tlsOptions, type HostNetwork } from "./connections.js";
import { failureOf } from "./failure.js";
import { checkLiteral, guardedLookup, type AddressRule } from "./guard.js";
import { tunnelTo } from "./proxy.js";

/** A certificate of the other side. Times are milliseconds since 1970. */
export interface MetCertificate {
  subject: string;
  issuer: string;
  /** The names and addresses that it is for. */
  names: string[];
  from: number;
  until: number;
  sha256: string;
}

/** What one meets at an address, before any request. */
export interface Met {
  addresses: { address: string; allowed: boolean }[];
  proxy: string | null;
  /** The protocol of the TLS connection, and what is spoken over it. */
  protocol: string | null;
  application: string | null;
  certificates: MetCertificate[];
  /** Why the connection is of no use; null if it is good. */
  fault: string | null;
}

const patience = 10_000;
/** The longest chain that is shown. */
const longestChain = 10;

/** Connects to an address as a call would, sends nothing, and says what it met. */
export async function meet(url: URL, rule: AddressRule, network: HostNetwork): Promise<Met> {
  const port = Number(url.port || (url.protocol === "https:" ? 443 : 80));
  const hostname = url.hostname.replace(/^\[|\]$/g, "");
  const met: Met = {
    addresses: await addressesOf(hostname, port, rule),
    proxy: network.proxy ? new URL(network.proxy.url).host : null,
    protocol: null,
    application: null,
    certificates: [],
    fault: null,
  };
  let socket: Socket | undefined;
  try {
    // An address that is written out is looked up by nobody.
    checkLiteral(url.hostname, port, rule);
    socket = network.proxy
      ? await tunnelTo({ hostname, port }, network.proxy, rule, network.localAddress)
      : await connected(hostname, port, rule, network);
    if (url.protocol === "https:") socket = await secured(socket, hostname, network, network.identity, met);
  } catch (error) {
    met.fault ??= wordsOf(error, url);
  } finally {
    socket?.destroy();
  }
  return met;
}

async function addressesOf(hostname: string, port: number, rule: AddressRule): Promise<Met["addresses"]> {
  const found = await lookup(hostname, { all: true }).catch(() => []);
  return found.map(({ address }) => ({ address, allowed: rule.allows(address, port, hostname) }));
}

function connected(
  host: string,
  port: number,
  rule: AddressRule,
  { localAddress }: HostNetwork,
): Promise<Socket> {
  return new Promise((resolve, reject) => {
    const socket = connectTcp({
      host,
      port,
      lookup: guardedLookup(rule, port) as never,
      ...(localAddress ? { localAddress } : {}),
    });
    ended(socket, reject);
    socket.once("connect", () => resolve(socket));
  });
}

/** Shakes hands also with whom one would not trust, and notes who that is. */
function secured(
  raw: Socket,
  hostname: string,
  network: HostNetwork,
  identity: TlsIdentity | undefined,
  met: Met,
): Promise<TLSSocket> {
  return new Promise((resolve, reject) => {
    const socket = connectTls({
      socket: raw,
      ...(/^[\d.]+$|:/.test(hostname) ? { host: hostname } : { servername: hostname }),
      ...tlsOptions(network, identity),
      ALPNProtocols: network.http2 ? ["h2", "http/1.1"] : ["http/1.1"],
      rejectUnauthorized: false,
    });
    ended(socket, reject);
    socket.once("secureConnect", () => {
      met.protocol = socket.getProtocol();
      met.application = socket.alpnProtocol || null;
      met.certificates = chainOf(socket.getPeerCertificate(true));
      // Node's types say that it is an error; it is the code of one.
      const why = socket.authorizationError as unknown as string | Error | null;
      if (!socket.authorized) met.fault = `The certificate is not trusted: ${String(why)}.`;
      resolve(socket);
    });
  });
}

function ended(socket: Socket, reject: (error: Error) => void): void {
  socket.setTimeout(patience, () => socket.destroy(new Error("timeout")));
  socket.once("error", reject);
  socket.once("close", () => reject(new Error("closed")));
}

function chainOf(first: DetailedPeerCertificate): MetCertificate[] {
  const chain: MetCertificate[] = [];
  const seen = new Set<string>();
  let next: DetailedPeerCertificate | undefined = first;
  while (next?.fingerprint256 && !seen.has(next.fingerprint256) && chain.length < longestChain) {
    seen.add(next.fingerprint256);
    chain.push({
      subject: nameOf(next.subject),
      issuer: nameOf(next.issuer),
      names: (next.subjectaltname ?? "").split(", ").filter(Boolean).slice(0, 50),
      from: Date.parse(next.valid_from),
      until: Date.parse(next.valid_to),
      sha256: next.fingerprint256,
    });
    next = next.issuerCertificate as DetailedPeerCertificate | undefined;
  }
  return chain;
}

function nameOf(name: object): string {
  return Object.entries(name)
    .map(([kind, value]) => `${kind}=${[value].flat().join("+")}`)
    .join(", ");
}

function wordsOf(error: unknown, url: URL): string {
  if (error instanceof TransportFailure || error instanceof RequestRefused) return error.message;
  if (error instanceof Error && error.message === "timeout")
    return `${url.host} did not answer within ${patience / 1_000} s.`;
  if (error instanceof Error && error.message === "closed") return `${url.host} closed the connection.`;
  const under = { begun: false, reason: undefined, bodyFault: undefined, head: undefined, size: 0 };
  const options = {
    timeout: { connect: patience, response: patience },
    signal: new AbortController().signal,
  };
  return failureOf(error, under, options, url).message;
}
