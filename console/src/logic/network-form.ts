import type { Network, NetworkInput } from "@copper-kettle/contract";
import { typed } from "./form-parts.js";

/** Network settings as they are typed. */
export interface NetworkForm {
  scope: Network["scope"];
  name: string;
  /** As for all, none, or one of its own. */
  proxyIs: "as-usual" | "none" | "own";
  proxy: string;
  proxyCredential: string;
  authorities: string;
  clientCertificate: string;
  tls: "" | "1.2" | "1.3";
  http2: "" | "yes" | "no";
  keepAlive: string;
  localAddress: string;
}

export function emptyNetwork(): NetworkForm {
  return {
    scope: "host",
    name: "",
    proxyIs: "as-usual",
    proxy: "",
    proxyCredential: "",
    authorities: "",
    clientCertificate: "",
    tls: "",
    http2: "",
    keepAlive: "",
    localAddress: "",
  };
}

export function networkFormOf(network: Network): NetworkForm {
  const { scope, name, proxy, http2 } = network;
  return {
    scope,
    name,
    proxyIs: proxy === undefined ? "as-usual" : proxy === null ? "none" : "own",
    proxy: proxy ?? "",
    proxyCredential: network.proxyCredential ?? "",
    authorities: network.authorities ?? "",
    clientCertificate: network.clientCertificate ?? "",
    tls: network.tls ?? "",
    http2: http2 === undefined ? "" : http2 ? "yes" : "no",
    keepAlive: network.keepAlive ?? "",
    localAddress: network.localAddress ?? "",
  };
}

export function readNetwork(form: NetworkForm): NetworkInput {
  const { proxyIs, proxy, tls, http2 } = form;
  return {
    ...(proxyIs === "as-usual" ? {} : { proxy: proxyIs === "none" ? null : proxy.trim() }),
    ...(proxyIs === "own" ? typed("proxyCredential", form.proxyCredential.trim()) : {}),
    ...typed("authorities", form.authorities.trim()),
    ...typed("clientCertificate", form.clientCertificate.trim()),
    ...(tls === "" ? {} : { tls }),
    ...(http2 === "" ? {} : { http2: http2 === "yes" }),
    ...typed("keepAlive", form.keepAlive.trim()),
    ...typed("localAddress", form.localAddress.trim()),
  };
}
