import { route } from "../route.js";
import { nothing } from "./common.js";
import { z } from "zod";

const credentialName = z.string().min(1);

export const networkInput = z
  .strictObject({
    proxy: z
      .url({ protocol: /^http$/, error: "must be an address such as http://proxy.huts.example:3128" })
      .nullable()
      .meta({ description: "A forward proxy. null: none, although the service has one." }),
    proxyCredential: credentialName.meta({ description: "A credential of the kind basic, for the proxy." }),
    authorities: z.string().meta({
      description: "Certificates of authorities to trust besides the usual ones, in PEM.",
    }),
    clientCertificate: credentialName.meta({
      description: "A credential of the kind mutual-tls, shown where a call has none of its own.",
    }),
    tls: z.enum(["1.2", "1.3"]).meta({ description: "The oldest version of TLS that is spoken." }),
    http2: z.boolean().meta({ description: "Whether HTTP/2 is spoken where the other side can." }),
    keepAlive: z.string().meta({
      description: "How long a connection that nobody uses stays open, such as 30s; at most 10m.",
    }),
    localAddress: z.union([z.ipv4(), z.ipv6()]).meta({ description: "The address that calls come from." }),
  })
  .partial()
  .meta({ id: "NetworkInput", description: "What is left out is as it is for the whole service." });

export type NetworkInput = z.output<typeof networkInput>;

export const network = networkInput
  .extend({
    scope: z.enum(["service", "api", "host"]),
    name: z.string(),
    trusts: z
      .array(z.object({ subject: z.string(), endsAt: z.string() }))
      .meta({ description: "The authorities, by name." }),
  })
  .meta({ id: "Network" });

export type Network = z.output<typeof network>;

const scoped = z.object({
  scope: z.enum(["service", "api", "host"]),
  name: z.string().min(1).max(300).meta({
    description: "all of a service; the name of an API; a host, with the port if it is not the default one",
  }),
});

export const met = z
  .object({
    addresses: z.array(z.object({ address: z.string(), allowed: z.boolean() })),
    proxy: z.string().nullable(),
    protocol: z.string().nullable().meta({ description: "Of TLS." }),
    application: z
      .string()
      .nullable()
      .meta({ description: "What is spoken over it (ALPN): h2 or http/1.1." }),
    certificates: z.array(
      z.object({
        subject: z.string(),
        issuer: z.string(),
        names: z.array(z.string()),
        from: z.string(),
        until: z.string(),
        sha256: z.string(),
      }),
    ),
    fault: z.string().nullable().meta({ description: "Why calls cannot use this; null if they can." }),
  })
  .meta({ id: "Met" });

export type Met = z.output<typeof met>;

export const networkRoutes = {
  networks: route({
    method: "GET",
    path: "/api/network",
    summary: "List the network settings: of the service, of APIs and of hosts",
    output: z.object({ networks: z.array(network) }),
    status: 200,
    needs: "token",
  }),
  putNetwork: route({
    method: "PUT",
    path: "/api/network/{scope}/{name}",
    summary: "Set how the hosts of the service, of an API, or a host are reached",
    params: scoped,
    body: networkInput,
    output: network,
    status: 200,
    needs: "owner",
  }),
  removeNetwork: route({
    method: "DELETE",
    path: "/api/network/{scope}/{name}",
    summary: "Remove network settings",
    params: scoped,
    output: nothing,
    status: 204,
    needs: "owner",
  }),
  checkNetwork: route({
    method: "POST",
    path: "/api/network/check",
    summary: "Connect to an address as a call would, send nothing, and report what was met",
    body: z.strictObject({
      url: z.url({ protocol: /^https?$/, error: "must be an address that begins with https:// or http://" }),
    }),
    output: met,
    status: 200,
    needs: "token",
  }),
} as const;
