import { bounds } from "@copper-kettle/core";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";

/** How long one request to us may take to arrive, in milliseconds. */
const requestTimeout = 60_000;

/** A server that listens. */
export async function listening({ host, port }: { host: string; port: number }): Promise<Server> {
  const server = createServer({ requestTimeout });
  server.maxConnections = bounds.connections;
  await new Promise<void>((resolve, reject) => {
    server.once("error", reject);
    server.listen(port, host, resolve);
  });
  return server;
}

/** The host by which this machine reaches a listener. */
export function shownHostOf(host: string): string {
  if (host === "0.0.0.0" || host === "::") return "127.0.0.1";
  return host.includes(":") ? `[${host}]` : host;
}

/** The address of a listener, as this machine reaches it. */
export function addressOf(server: Server): string {
  const { address } = server.address() as AddressInfo;
  return `http://${shownHostOf(address)}:${portOf(server)}`;
}

/** The port of a listener; where none was asked for, the one that it got. */
export const portOf = (server: Server): number => (server.address() as AddressInfo).port;

/** The hosts, with their ports, that the service answers to. */
export function hostsOf(known: {
  publicUrl: string;
  port: number;
  shownHost: string;
  hostNames: readonly string[];
}): Set<string> {
  const { publicUrl, port, shownHost, hostNames } = known;
  return new Set([
    new URL(publicUrl).host,
    ...["127.0.0.1", "localhost", "[::1]", shownHost].map((host) => `${host}:${port}`),
    ...hostNames.map((name) => name.toLowerCase()),
  ]);
}

/** Takes no more connections, and ends those that nobody uses; resolves when all are ended. */
export function closing(server: Server): Promise<void> {
  const closed = new Promise<void>((resolve) => server.close(() => resolve()));
  server.closeIdleConnections();
  return closed;
}
