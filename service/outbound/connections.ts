import { bounds, sha256Hex, type TlsIdentity } from "@copper-kettle/core";
import { rootCertificates } from "node:tls";
import { Agent, buildConnector } from "undici";
import { guardedLookup, type AddressRule } from "./guard.js";
import { tunnelTo, type Proxy } from "./proxy.js";

/** How one reaches a host: what people have set for it, for its API or for the whole service. */
export interface HostNetwork {
  proxy?: Proxy;
  /** Certificates of authorities that are trusted besides the usual ones, in PEM. */
  authorities?: string;
  /** The client certificate that a connection shows where the call itself has none. */
  identity?: TlsIdentity;
  /** The oldest version of TLS that is spoken. */
  tls?: "1.2" | "1.3";
  http2?: boolean;
  /** How long a connection that nobody uses stays open, in milliseconds. */
  keepAlive?: number;
  localAddress?: string;
}

/** How long a connection that nobody uses stays open, in milliseconds. */
const usualKeepAlive = 4_000;
/** Nobody waits for a connection after this, in milliseconds; each call has its own, shorter time. */
const longestConnect = 120_000;

/** Connections are shared by calls that are made in the same way and show the same certificate, and by no others. */
export class Connections {
  readonly #agents = new Map<string, Agent>();

  constructor(readonly rule: AddressRule) {}

  agent(port: number, network: HostNetwork, own: TlsIdentity | undefined): Agent {
    const identity = own ?? network.identity;
    const key = [port, keyOf(network), identity ? keyOf(identity) : ""].join("/");
    let agent = this.#agents.get(key);
    if (agent)
      this.#agents.delete(key); // the one used last stands last
    else {
      agent = new Agent({
        connect: this.connector(port, network, identity),
        connections: bounds.connectionsToServer,
        pipelining: 1,
        keepAliveTimeout: network.keepAlive ?? usualKeepAlive,
        ...(network.http2 ? { allowH2: true } : {}),
        ...(network.localAddress ? { localAddress: network.localAddress } : {}),
      });
    }
    this.#agents.set(key, agent);
    const [eldest] = this.#agents;
    if (eldest && this.#agents.size > bounds.connectionKinds) {
      this.#agents.delete(eldest[0]);
      void eldest[1].close();
    }
    return agent;
  }

  /** What opens connections: straight to the host, or by way of a proxy. */
  connector(port: number, network: HostNetwork, identity: TlsIdentity | undefined): buildConnector.connector {
    const { proxy, localAddress } = network;
    const connect = buildConnector({
      timeout: longestConnect,
      lookup: guardedLookup(this.rule, port) as never,
      ...tlsOptions(network, identity),
      ...(network.http2 ? { allowH2: true } : {}),
    });
    if (!proxy) return connect;
    return (options, callback) => {
      tunnelTo({ hostname: options.hostname, port }, proxy, this.rule, localAddress).then(
        (socket) =>
          options.protocol === "https:"
            ? connect({ ...options, httpSocket: socket }, callback)
            : callback(null, socket),
        (error: Error) => callback(error, null),
      );
    };
  }

  async close(): Promise<void> {
    await Promise.all([...this.#agents.values()].map((agent) => agent.destroy()));
  }

  /** How many kinds of connections are open. */
  get kinds(): number {
    return this.#agents.size;
  }
}

const keys = new WeakMap<object, string>();

/** The same for what is set alike. */
function keyOf(settings: HostNetwork | TlsIdentity): string {
  let key = keys.get(settings);
  if (key === undefined)
    keys.set(settings, (key = sha256Hex(JSON.stringify(Object.entries(settings).sort()))));
  return key;
}

/** What Node's `tls.connect` is told. */
export function tlsOptions(
  { authorities = "", tls }: HostNetwork,
  identity: TlsIdentity | undefined,
): { cert?: string; key?: string; ca?: string[]; minVersion?: "TLSv1.2" | "TLSv1.3" } {
  const trusted = [authorities, identity?.authority ?? ""].filter((pem) => pem !== "");
  return {
    ...(identity ? { cert: identity.certificate, key: identity.privateKey } : {}),
    ...(trusted.length > 0 ? { ca: [...rootCertificates, ...trusted] } : {}),
    ...(tls ? { minVersion: `TLSv${tls}` as const } : {}),
  };
}
