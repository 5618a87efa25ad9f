import { networkFacts, type Network } from "@copper-kettle/contract";
import { describe, expect, it } from "vitest";
import { emptyNetwork, networkFormOf, readNetwork } from "./network-form.js";

describe("the form of network settings", () => {
  const whole: Network = {
    scope: "host",
    name: "stays.example",
    proxy: "http://proxy.huts.example:3128",
    proxyCredential: "proxy-user",
    authorities: "-----BEGIN CERTIFICATE-----",
    clientCertificate: "office",
    tls: "1.3",
    http2: false,
    keepAlive: "30s",
    localAddress: "127.0.0.9",
    trusts: [{ subject: "CN=Larkspur authority", endsAt: "2027-01-01T00:00:00.000Z" }],
  };

  it("gives back what it was made of", () => {
    const { scope: _scope, name: _name, trusts: _trusts, ...input } = whole;
    expect(readNetwork(networkFormOf(whole))).toEqual(input);
    expect(readNetwork(networkFormOf({ scope: "service", name: "all", trusts: [], proxy: null }))).toEqual({
      proxy: null,
    });
  });

  it("sends nothing of what was left empty, nor the credential of a proxy that is none", () => {
    expect(readNetwork(emptyNetwork())).toEqual({});
    expect(readNetwork({ ...networkFormOf(whole), proxyIs: "as-usual" })).not.toHaveProperty(
      "proxyCredential",
    );
  });

  it("says each setting in a few words", () => {
    expect(networkFacts(whole, (time) => time.slice(0, 10))).toEqual([
      "proxy http://proxy.huts.example:3128 as proxy-user",
      "trusts CN=Larkspur authority, until 2027-01-01",
      "client certificate office",
      "TLS 1.3 or newer",
      "no HTTP/2",
      "keep-alive 30s",
      "from 127.0.0.9",
    ]);
  });
});
