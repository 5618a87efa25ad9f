import type { NetworkInput } from "@copper-kettle/contract";
import {
  allServers,
  parseDuration,
  RequestRefused,
  toBase64,
  utf8,
  type Credential,
  type Json,
  type TlsIdentity,
} from "@copper-kettle/core";
import type { ApiStore } from "../store/apis.js";
import type { CredentialStore } from "../store/credentials.js";
import type { SettingStore } from "../store/settings.js";
import type { HostNetwork } from "./connections.js";

/** What network settings are for: the whole service (its name is `all`), an API, or a host. */
export const networkScopes = ["service", "api", "host"] as const;
export type NetworkScope = (typeof networkScopes)[number];

/** All network settings, by scope and name. */
export type NetworkSettings = Record<NetworkScope, Record<string, NetworkInput>>;

const setting = "network";
/** How many ways to reach a host are remembered. */
const mostKnown = 1_000;

/** How each host is reached: what is set for it goes before what is set for its API, and that before what is set for all. */
export class Networks {
  /** Equal settings are one object, so that their connections are shared. */
  readonly #known = new Map<string, HostNetwork>();
  readonly #hostsOf = new WeakMap<object, Set<string>>();

  constructor(
    readonly settings: SettingStore,
    readonly apis: Pick<ApiStore, "get">,
    readonly credentials: Pick<CredentialStore, "get">,
  ) {}

  all(): NetworkSettings {
    const stored = this.settings.get(setting) as unknown as Partial<NetworkSettings> | undefined;
    return { service: {}, api: {}, host: {}, ...stored };
  }

  async put(scope: NetworkScope, name: string, network: NetworkInput | undefined): Promise<void> {
    const all = this.all();
    const { [name]: _before, ...others } = all[scope];
    const named = network === undefined ? others : { ...others, [name]: network };
    await this.settings.put(setting, { ...all, [scope]: named } as unknown as Json);
    this.#known.clear();
  }

  /** @throws RequestRefused when a credential that is named is not there, or is of another kind */
  of(url: URL): HostNetwork {
    const all = this.all();
    const layers = [
      all.service["all"],
      ...Object.entries(all.api).map(([name, network]) =>
        this.#apiHosts(name).has(url.host) ? network : undefined,
      ),
      all.host[url.hostname],
      all.host[url.host],
    ].filter((layer) => layer !== undefined);
    if (layers.length === 0) return none;
    const merged: NetworkInput = Object.assign({}, ...layers) as NetworkInput;
    const network = this.#resolved(merged, url);
    const key = JSON.stringify(network);
    let known = this.#known.get(key);
    if (!known) {
      if (this.#known.size >= mostKnown) this.#known.clear();
      this.#known.set(key, (known = network));
    }
    return known;
  }

  #resolved(merged: NetworkInput, { host, hostname }: URL): HostNetwork {
    const { proxy, proxyCredential, authorities, clientCertificate, tls, http2, keepAlive, localAddress } =
      merged;
    const certificate = clientCertificate ? this.#credential(clientCertificate, "mutual-tls") : undefined;
    const isForHost = clientCertificate !== undefined && this.#isFor(clientCertificate, { host, hostname });
    return {
      ...(proxy
        ? {
            proxy: {
              url: proxy,
              ...(proxyCredential
                ? { authorization: this.#authorization(proxyCredential, new URL(proxy)) }
                : {}),
            },
          }
        : {}),
      ...(authorities ? { authorities } : {}),
      ...(certificate && isForHost ? { identity: identityOf(certificate) } : {}),
      ...(tls ? { tls } : {}),
      ...(http2 ? { http2 } : {}),
      ...(keepAlive ? { keepAlive: parseDuration(keepAlive) as number } : {}),
      ...(localAddress ? { localAddress } : {}),
    };
  }

  /** Whether a credential may be shown to a host: it may be bound to some. */
  #isFor(name: string, { host, hostname }: Pick<URL, "host" | "hostname">): boolean {
    const { hosts = [] } = this.credentials.get(name) ?? {};
    return hosts.length === 0 || hosts.includes(host) || hosts.includes(hostname);
  }

  #authorization(name: string, proxy: URL): string {
    if (!this.#isFor(name, proxy))
      throw new RequestRefused(
        "bad-request",
        `The credential "${name}" is not bound to the proxy ${proxy.host}, and is not sent to it.`,
      );
    const { user, password } = this.#credential(name, "basic");
    return `Basic ${toBase64(utf8(`${user}:${password}`))}`;
  }

  #credential<K extends Credential["kind"]>(name: string, kind: K): Extract<Credential, { kind: K }> {
    const credential = this.credentials.get(name)?.credential;
    if (credential?.kind === kind) return credential as Extract<Credential, { kind: K }>;
    throw new RequestRefused(
      "bad-request",
      credential
        ? `The network settings want the credential "${name}" to be of the kind ${kind}; it is of the kind ${credential.kind}.`
        : `The network settings name the credential "${name}", which is not there.`,
    );
  }

  #apiHosts(name: string): Set<string> {
    const api = this.apis.get(name)?.api;
    if (!api) return new Set();
    let hosts = this.#hostsOf.get(api);
    if (!hosts) {
      hosts = new Set(
        allServers(api).flatMap((server) => (URL.canParse(server) ? new URL(server).host : [])),
      );
      this.#hostsOf.set(api, hosts);
    }
    return hosts;
  }
}

const none: HostNetwork = {};

function identityOf({ certificate, privateKey, authority }: TlsIdentity): TlsIdentity {
  return { certificate, privateKey, ...(authority ? { authority } : {}) };
}
