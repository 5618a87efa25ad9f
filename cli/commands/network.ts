import {
  networkFacts,
  networkName,
  networkRoutes,
  type Met,
  type Network,
  type NetworkInput,
} from "@copper-kettle/contract";
import { Option, type Command } from "commander";
import { clientOf, Exit, exitCodes, globalsOf } from "../context.js";
import { momentText, say, show, timeText } from "../output.js";
import { table } from "../table.js";
import { readText } from "../read-text.js";

interface NetworkOptions {
  host?: string;
  api?: string;
  proxy?: string;
  proxyCredential?: string;
  authority?: string;
  clientCertificate?: string;
  tls?: "1.2" | "1.3";
  http2?: boolean;
  keepAlive?: string;
  localAddress?: string;
}

type Scoped = Pick<Network, "scope" | "name">;

/** `network`: how hosts are reached. */
export function addNetwork(program: Command): void {
  const network = program
    .command("network")
    .description("how hosts are reached (proxy, authorities, TLS): list, set, remove, check");
  network
    .command("list")
    .description("list the settings of the service, of APIs and of hosts")
    .action(async (_options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const { networks } = await clientOf(globals).call(networkRoutes.networks);
      const rows = networks.map((one) => [networkName(one), settingsOf(one).join("\n")]);
      show(globals, networks, () => table(["FOR", "SETTINGS"], rows, "Every host is reached directly."));
    });
  const set = network
    .command("set")
    .description(
      "set how the hosts of the service, of an API, or one host are reached; replaces what was set",
    );
  scopeOptions(settingOptions(set)).action(async (options: NetworkOptions, command: Command) =>
    put(command, scopeOf(options), options),
  );
  scopeOptions(network.command("remove").description("remove settings")).action(
    async (options: NetworkOptions, command: Command) => {
      const scoped = scopeOf(options);
      await clientOf(globalsOf(command)).call(networkRoutes.removeNetwork, { params: scoped });
      say(`Removed the network settings of ${networkName(scoped)}.`);
    },
  );
  network
    .command("check")
    .description("connect to an address as a call would, send nothing, and show what was met")
    .argument("<url>")
    .action(async (url: string, _options: unknown, command: Command) => {
      const globals = globalsOf(command);
      const met = await clientOf(globals).call(networkRoutes.checkNetwork, { body: { url } });
      show(globals, met, () => metText(met));
      if (met.fault !== null) throw new Exit(exitCodes.runFailed);
    });
}

/** `api network NAME`: shows or sets how the hosts of an API are reached. */
export function addApiNetwork(api: Command): void {
  settingOptions(
    api
      .command("network")
      .description("show, or with options set, how the hosts of an API are reached")
      .argument("<name>"),
  )
    .option("--remove", "remove its settings: what is set for the service holds")
    .action(async (name: string, options: NetworkOptions & { remove?: boolean }, command: Command) => {
      const globals = globalsOf(command);
      const scoped: Scoped = { scope: "api", name };
      if (options.remove) {
        await clientOf(globals).call(networkRoutes.removeNetwork, { params: scoped });
        return say(`Removed the network settings of ${networkName(scoped)}.`);
      }
      if (Object.keys(options).length > 0) return put(command, scoped, options);
      const { networks } = await clientOf(globals).call(networkRoutes.networks);
      const found = networks.find((one) => one.scope === "api" && one.name === name);
      show(globals, found ?? null, () =>
        found ? settingsOf(found).join("\n") : `${name} has no network settings of its own.`,
      );
    });
}

function settingOptions(command: Command): Command {
  return command
    .option("--proxy <url>", "a forward proxy, such as http://proxy.huts.example:3128; none: no proxy")
    .option("--proxy-credential <name>", "a credential of the kind basic, for the proxy")
    .option("--authority <file>", "certificate authorities to trust besides the usual ones, in PEM")
    .option("--client-certificate <name>", "a credential of the kind mutual-tls, where a call has none")
    .addOption(new Option("--tls <version>", "the oldest version of TLS").choices(["1.2", "1.3"]))
    .option("--http2", "speak HTTP/2 where the other side can")
    .option("--keep-alive <duration>", "how long an unused connection stays open, such as 30s")
    .option("--local-address <address>", "the address that calls come from");
}

function scopeOptions(command: Command): Command {
  return command
    .option("--host <host>", "for one host, with the port if it is not the default one")
    .option("--api <name>", "for the hosts of an API; without both: for the whole service");
}

function scopeOf({ host, api }: NetworkOptions): Scoped {
  if (host !== undefined && api !== undefined)
    throw new Exit(exitCodes.wrongUse, "Give --host or --api, and not both.");
  if (host !== undefined) return { scope: "host", name: host };
  return api === undefined ? { scope: "service", name: "all" } : { scope: "api", name: api };
}

async function put(command: Command, scoped: Scoped, options: NetworkOptions): Promise<void> {
  const globals = globalsOf(command);
  const { authority, proxy, host: _host, api: _api, ...rest } = options;
  const body: NetworkInput = {
    ...rest,
    ...(proxy === undefined ? {} : { proxy: proxy === "none" ? null : proxy }),
    ...(authority === undefined ? {} : { authorities: readText(authority) }),
  };
  const saved = await clientOf(globals).call(networkRoutes.putNetwork, { params: scoped, body });
  show(globals, saved, () => `${networkName(saved)}: ${settingsOf(saved).join("; ") || "as usual"}`);
}

const settingsOf = (network: Network): string[] => networkFacts(network, momentText);

function metText({ addresses, proxy, protocol, application, certificates, fault }: Met): string {
  return [
    `addresses    ${addresses.map(({ address, allowed }) => (allowed ? address : `${address} (calls may not go there)`)).join(", ") || "none"}`,
    ...(proxy ? [`proxy        ${proxy}`] : []),
    ...(protocol ? [`protocol     ${protocol}${application ? `, ${application}` : ""}`] : []),
    ...certificates.flatMap(({ subject, issuer, names, from, until, sha256 }) => [
      `certificate  ${subject}`,
      `  from       ${issuer}`,
      ...(names.length > 0 ? [`  for        ${names.join(", ")}`] : []),
      `  valid      ${timeText(from)} to ${momentText(until)}`,
      `  SHA-256    ${sha256}`,
    ]),
    fault === null ? "Calls can use this connection." : fault,
  ].join("\n");
}
