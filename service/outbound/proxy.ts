import { TransportFailure } from "@copper-kettle/core";
import type { LookupAddress } from "node:dns";
import { request as httpRequest } from "node:http";
import { isIPv6, type Socket } from "node:net";
import { guardedLookup, type AddressRule } from "./guard.js";

/** A forward proxy (RFC 9110 section 3.7). */
export interface Proxy {
  /** `http://`, host and port. */
  url: string;
  /** What it gets in `Proxy-Authorization` (RFC 9110 section 11.7.1). */
  authorization?: string;
}

/** Where a tunnel leads to. */
export interface Target {
  hostname: string;
  port: number;
}

/** How long a proxy has for its answer, in milliseconds; each call has its own, shorter time. */
const patience = 120_000;

/**
 * Opens a tunnel through a proxy (`CONNECT`, RFC 9110 section 9.3.6). The name is looked up and judged here, and the
 * proxy is asked for the address: what it would make of the name does not count.
 * @throws RequestRefused when calls may not go to the address; TransportFailure when there is no tunnel
 */
export async function tunnelTo(
  { hostname, port }: Target,
  proxy: Proxy,
  rule: AddressRule,
  localAddress?: string,
): Promise<Socket> {
  const address = await addressOf(hostname, port, rule);
  const authority = `${isIPv6(address) ? `[${address}]` : address}:${port}`;
  const { hostname: host, port: proxyPort, host: shown } = new URL(proxy.url);
  const failure = (message: string, detail?: string): TransportFailure =>
    new TransportFailure("connect", message, false, false, undefined, detail);
  return new Promise((resolve, reject) => {
    const asking = httpRequest({
      host: host.replace(/^\[|\]$/g, ""),
      port: proxyPort === "" ? 80 : Number(proxyPort),
      method: "CONNECT",
      path: authority,
      headers: {
        Host: authority,
        ...(proxy.authorization ? { "Proxy-Authorization": proxy.authorization } : {}),
      },
      agent: false,
      timeout: patience,
      ...(localAddress ? { localAddress } : {}),
    });
    asking.once("connect", (response, socket, early) => {
      const status = response.statusCode ?? 0;
      if (status < 200 || status > 299) {
        socket.destroy();
        return reject(failure(refusal(shown, status, authority), `proxy ${status}`));
      }
      if (early.length > 0) socket.unshift(early);
      resolve(socket);
    });
    // Some proxies answer a refusal as if it was for another method.
    asking.once("response", (response) => {
      response.destroy();
      reject(failure(refusal(shown, response.statusCode ?? 0, authority)));
    });
    asking.once("timeout", () => asking.destroy(new Error("timeout")));
    asking.once("error", (error: NodeJS.ErrnoException) =>
      reject(failure(`The proxy ${shown} cannot be reached.`, error.code ?? error.message)),
    );
    asking.end();
  });
}

function refusal(proxy: string, status: number, authority: string): string {
  if (status === 407)
    return `The proxy ${proxy} wants a user and a password (407), or does not take those that it got. They are the credential of the proxy under network.`;
  return `The proxy ${proxy} opens no connection to ${authority} (${status}).${status === 403 || status === 405 ? " Its administrator says which ports it opens." : ""}`;
}

function addressOf(hostname: string, port: number, rule: AddressRule): Promise<string> {
  return new Promise((resolve, reject) => {
    guardedLookup(rule, port)(hostname.replace(/^\[|\]$/g, ""), { all: true }, (error, found) => {
      if (error) return reject(error);
      resolve((found as LookupAddress[])[0]?.address ?? "");
    });
  });
}
