import { routes, type Network, type NetworkInput } from "@copper-kettle/contract";
import { parseDuration } from "@copper-kettle/core";
import type { Express } from "express";
import { BadCertificate, certificatesOf, readCertificates, subjectOf } from "../../oauth/certificates.js";
import { meet } from "../../outbound/meet.js";
import { networkScopes, type NetworkScope } from "../../outbound/networks.js";
import { iso } from "../../times.js";
import type { Context } from "../context.js";
import { HttpProblem, notFound } from "../problems.js";
import { requireMayUse } from "../rights.js";
import { serve } from "../serve-route.js";

const longestKeepAlive = 600_000;

export function serveNetwork(app: Express, context: Context): void {
  const { networks, apis, credentials, activity, addressRule } = context;

  serve(app, routes.networks, async () => {
    const all = networks.all();
    return {
      networks: networkScopes.flatMap((scope) =>
        Object.entries(all[scope]).map(([name, network]) => networkView(scope, name, network)),
      ),
    };
  });

  serve(app, routes.putNetwork, async ({ params: { scope, name }, body, by }) => {
    if (scope === "api" && !apis.get(name)) throw notFound("API", name);
    if (scope === "service" && name !== "all")
      throw fieldFault("name", `Network settings of the service are called all, not "${name}".`);
    if (scope === "host" && !isHost(name))
      throw fieldFault("name", `"${name}" is no host, such as stays.example or stays.example:8443.`);
    for (const [field, kind] of [
      ["proxyCredential", "basic"],
      ["clientCertificate", "mutual-tls"],
    ] as const) {
      const credential = body[field] === undefined ? undefined : credentials.get(body[field]);
      if (credential) requireMayUse(credential, by);
      if (body[field] !== undefined && credential?.credential.kind !== kind)
        throw fieldFault(
          field,
          credential
            ? `The credential "${body[field]}" is of the kind ${credential.credential.kind}; this wants one of the kind ${kind}.`
            : `There is no credential "${body[field]}".`,
        );
    }
    checkTexts(body);
    await networks.put(scope, name, body);
    await activity.note({ by, action: "changed", kind: "settings", name: `network of ${scope} ${name}` });
    return networkView(scope, name, body);
  });

  serve(app, routes.removeNetwork, async ({ params: { scope, name }, by }) => {
    if (!networks.all()[scope][name]) throw notFound("network setting", `${scope} ${name}`);
    await networks.put(scope, name, undefined);
    await activity.note({ by, action: "removed", kind: "settings", name: `network of ${scope} ${name}` });
  });

  serve(app, routes.checkNetwork, async ({ body }) => {
    const url = new URL(body.url);
    const { certificates, ...met } = await meet(url, addressRule, networks.of(url));
    return {
      ...met,
      certificates: certificates.map((one) => ({ ...one, from: iso(one.from), until: iso(one.until) })),
    };
  });
}

function networkView(scope: NetworkScope, name: string, network: NetworkInput): Network {
  const trusts = certificatesOf(network.authorities ?? "").map((certificate) => ({
    subject: subjectOf(certificate),
    endsAt: iso(Date.parse(certificate.validTo)),
  }));
  return { ...network, scope, name, trusts };
}

function isHost(name: string): boolean {
  return URL.canParse(`https://${name}`) && new URL(`https://${name}`).host === name.toLowerCase();
}

function checkTexts({ proxy, keepAlive, authorities }: NetworkInput): void {
  if (proxy && new URL(proxy).username + new URL(proxy).password !== "")
    throw fieldFault(
      "proxy",
      "The user and the password of a proxy go into a credential, not into its address.",
    );
  const millis = keepAlive === undefined ? 0 : parseDuration(keepAlive);
  if (millis === undefined || millis < 0 || millis > longestKeepAlive)
    throw fieldFault("keepAlive", `"${keepAlive}" is not a duration up to 10m; write 30s.`);
  if (authorities === undefined) return;
  try {
    readCertificates(authorities, "authority");
  } catch (error) {
    throw error instanceof BadCertificate ? fieldFault("authorities", error.message) : error;
  }
}

function fieldFault(field: string, message: string): HttpProblem {
  return new HttpProblem(422, "invalid-request", "The network settings cannot be taken", message, {
    errors: [{ field, message }],
  });
}
