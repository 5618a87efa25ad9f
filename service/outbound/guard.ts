import { RequestRefused } from "@copper-kettle/core";
import ipaddr from "ipaddr.js";
import { lookup as dnsLookup, type LookupAddress, type LookupOptions } from "node:dns";

/** Which addresses of the machine's own network calls may go to. Public addresses always may. */
export interface AddressRule {
  /** True when a call to this address is allowed. */
  allows(address: string, port: number, hostname: string): boolean;
}

/**
 * Reads a list of addresses that calls may go to although they are not public: `127.0.0.1`, `127.0.0.1:4101`,
 * `10.0.0.0/8`, `inventory.internal`, `inventory.internal:8443`.
 * @throws Error that names the entry which is none of these
 */
export function addressRule(entries: readonly string[]): AddressRule {
  const ranges: { range: [ipaddr.IPv4 | ipaddr.IPv6, number]; port: number | undefined }[] = [];
  const names: { name: string; port: number | undefined }[] = [];
  for (const entry of entries) {
    const match = /^(\[[^\]]+\]|[^:[\]]+|[0-9a-fA-F:]+)(?::(\d+))?$/.exec(entry.trim());
    const host = match?.[1]?.replace(/^\[|\]$/g, "");
    if (!host) throw new Error(`"${entry}" is not an address, range or host name.`);
    const port = match?.[2] === undefined ? undefined : Number(match[2]);
    if (host.includes("/")) ranges.push({ range: ipaddr.parseCIDR(host), port });
    else if (ipaddr.isValid(host)) {
      const address = ipaddr.process(host);
      ranges.push({ range: [address, address.kind() === "ipv4" ? 32 : 128], port });
    } else names.push({ name: host.toLowerCase(), port });
  }
  return {
    allows(text, port, hostname) {
      const address = plainAddress(text);
      if (address.range() === "unicast") return true;
      const fits = (wanted: number | undefined) => wanted === undefined || wanted === port;
      if (names.some((item) => item.name === hostname.toLowerCase() && fits(item.port))) return true;
      return ranges.some(
        ({ range, port: wanted }) =>
          range[0].kind() === address.kind() && fits(wanted) && address.match(range as [ipaddr.IPv4, number]),
      );
    },
  };
}

/** An address as it is meant: IPv4 in IPv6, mapped (RFC 4291 section 2.5.5.2) or compatible (2.5.5.1), is IPv4. */
function plainAddress(text: string): ipaddr.IPv4 | ipaddr.IPv6 {
  const address = ipaddr.process(text);
  if (!(address instanceof ipaddr.IPv6)) return address;
  const [high = 0, low = 0] = address.parts.slice(6);
  const isCompatible = address.parts.slice(0, 6).every((part) => part === 0) && high > 0;
  return isCompatible ? new ipaddr.IPv4([high >> 8, high & 255, low >> 8, low & 255]) : address;
}

function refusal(address: string, hostname: string): RequestRefused {
  const what = address === hostname ? address : `${hostname} (${address})`;
  return new RequestRefused(
    "address-refused",
    `${what} is an address of this machine's own network, which calls may not reach. To allow it, start the service with: --allow-address ${address}.`,
  );
}

/** Refuses a host that is written as an address, however it is written; the lookup hook is not asked for those. */
export function checkLiteral(hostname: string, port: number, rule: AddressRule): void {
  const bare = hostname.replace(/^\[|\]$/g, "");
  if (!ipaddr.isValid(bare)) return;
  const address = plainAddress(bare).toString();
  if (!rule.allows(address, port, bare)) throw refusal(address, bare);
}

type LookupCallback = (
  error: NodeJS.ErrnoException | null,
  address: string | LookupAddress[],
  family?: number,
) => void;

/** A DNS lookup that gives only addresses that calls may go to: against names that point inside. */
export function guardedLookup(rule: AddressRule, port: number) {
  return (hostname: string, options: LookupOptions, callback: LookupCallback): void => {
    dnsLookup(hostname, { ...options, all: true }, (error, addresses) => {
      if (error) return callback(error, "");
      const allowed = addresses.filter(({ address }) => rule.allows(address, port, hostname));
      const [first] = allowed;
      if (!first)
        return callback(
          refusal(addresses[0]?.address ?? hostname, hostname) as unknown as NodeJS.ErrnoException,
          "",
        );
      if (options.all) callback(null, allowed);
      else callback(null, first.address, first.family);
    });
  };
}
