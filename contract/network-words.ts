import type { Network } from "./routes/network.js";

/** Whom network settings are for. */
export function networkName({ scope, name }: Pick<Network, "scope" | "name">): string {
  return scope === "service" ? "the whole service" : scope === "api" ? `API ${name}` : name;
}

/**
 * What is set, in a few words each.
 * @param when a point in time as the reader sees it
 */
export function networkFacts(network: Network, when: (time: string) => string): string[] {
  const { proxy, proxyCredential, trusts, clientCertificate, tls, http2, keepAlive, localAddress } = network;
  return [
    ...(proxy === undefined
      ? []
      : [proxy === null ? "no proxy" : `proxy ${proxy}${proxyCredential ? ` as ${proxyCredential}` : ""}`]),
    ...trusts.map(({ subject, endsAt }) => `trusts ${subject}, until ${when(endsAt)}`),
    ...(clientCertificate ? [`client certificate ${clientCertificate}`] : []),
    ...(tls ? [`TLS ${tls} or newer`] : []),
    ...(http2 === undefined ? [] : [http2 ? "HTTP/2" : "no HTTP/2"]),
    ...(keepAlive ? [`keep-alive ${keepAlive}`] : []),
    ...(localAddress ? [`from ${localAddress}`] : []),
  ];
}
