import type { ForwardedField } from "./http/forwarded.js";
import { homedir } from "node:os";
import { join, resolve } from "node:path";
import { fileURLToPath } from "node:url";
import { z } from "zod";

const list = z
  .string()
  .default("")
  .transform((text) =>
    text
      .split(",")
      .map((part) => part.trim())
      .filter(Boolean),
  );

const schema = z.object({
  COPPER_KETTLE_DATA: z
    .string()
    .min(1)
    .default(join(process.env["XDG_DATA_HOME"] ?? join(homedir(), ".local", "share"), "copper-kettle")),
  COPPER_KETTLE_LISTEN: z.string().min(1).default("127.0.0.1"),
  COPPER_KETTLE_PORT: z.coerce.number().int().min(0).max(65_535).default(4100),
  COPPER_KETTLE_HOST_NAMES: list,
  COPPER_KETTLE_PUBLIC_URL: z
    .url({ protocol: /^https?$/, error: "must be an address that begins with https:// or http://" })
    .optional(),
  COPPER_KETTLE_PUBLIC_LISTEN: z
    .string()
    .regex(/^(\[[0-9a-fA-F:]+\]|[^:\s]+):\d{1,5}$/, "must be a host and a port, such as 0.0.0.0:4110")
    .optional(),
  COPPER_KETTLE_WEBHOOKS_URL: z
    .url({ protocol: /^https?$/, error: "must be an address that begins with https:// or http://" })
    .optional(),
  COPPER_KETTLE_TRUSTED_PROXIES: list,
  COPPER_KETTLE_FORWARDED_FIELD: z.enum(["x-forwarded-for", "forwarded"]).optional(),
  COPPER_KETTLE_ALLOW_ADDRESSES: list,
  COPPER_KETTLE_LONGEST_RESPONSE: z.coerce.number().int().min(1_024).default(52_428_800),
  COPPER_KETTLE_KEY: z.string().optional(),
  COPPER_KETTLE_BACKUPS: z.string().min(1).optional(),
  COPPER_KETTLE_LOG: z.enum(["trace", "debug", "info", "warn", "error", "silent"]).default("info"),
  COPPER_KETTLE_GRACE: z.coerce.number().int().min(0).default(10_000),
});

/** The settings that the service was started with. */
export interface Config {
  dataFolder: string;
  listen: string;
  port: number;
  /** Further host names that the service answers to. */
  hostNames: string[];
  /** The address under which people reach the service, where that is another than its own; without a slash at its end. */
  publicUrl: string | undefined;
  /** A listener of its own for webhooks: its host and port. */
  publicListen: { host: string; port: number } | undefined;
  /** The address under which senders reach webhooks, where that is another; without a slash at its end. */
  webhooksUrl: string | undefined;
  /** Networks of proxies whose word on the client's address counts (CIDR). */
  trustedProxies: string[];
  /** The header in which they say it; undefined: either. */
  forwardedField: ForwardedField | undefined;
  /** Addresses of the machine's own network that calls may go to. */
  allowAddresses: string[];
  /** Bytes. */
  longestResponse: number;
  key: string | undefined;
  /** The folder under which backups are written. */
  backupFolder: string;
  logLevel: string;
  /** How long what is being sent may take to finish at a stop, in milliseconds. */
  graceMillis: number;
  consoleFolder: string;
}

/**
 * Reads the configuration from the environment.
 * @throws Error that names each variable at fault
 */
export function readConfig(environment: NodeJS.ProcessEnv): Config {
  const result = schema.safeParse(environment);
  if (!result.success) {
    throw new Error(
      result.error.issues.map((issue) => `${issue.path.join(".")}: ${issue.message}`).join("\n"),
    );
  }
  const values = result.data;
  return {
    dataFolder: values.COPPER_KETTLE_DATA,
    listen: values.COPPER_KETTLE_LISTEN,
    port: values.COPPER_KETTLE_PORT,
    hostNames: values.COPPER_KETTLE_HOST_NAMES,
    publicUrl: values.COPPER_KETTLE_PUBLIC_URL?.replace(/\/+$/, ""),
    publicListen: listenerOf(values.COPPER_KETTLE_PUBLIC_LISTEN),
    webhooksUrl: values.COPPER_KETTLE_WEBHOOKS_URL?.replace(/\/+$/, ""),
    trustedProxies: values.COPPER_KETTLE_TRUSTED_PROXIES,
    forwardedField: values.COPPER_KETTLE_FORWARDED_FIELD,
    allowAddresses: values.COPPER_KETTLE_ALLOW_ADDRESSES,
    longestResponse: values.COPPER_KETTLE_LONGEST_RESPONSE,
    key: values.COPPER_KETTLE_KEY,
    backupFolder: resolve(values.COPPER_KETTLE_BACKUPS ?? join(values.COPPER_KETTLE_DATA, "backups")),
    logLevel: values.COPPER_KETTLE_LOG,
    graceMillis: values.COPPER_KETTLE_GRACE,
    consoleFolder: fileURLToPath(
      new URL(import.meta.url.includes("/dist/") ? "../../console/dist" : "../console/dist", import.meta.url),
    ),
  };
}

function listenerOf(text: string | undefined): Config["publicListen"] {
  const [, host = "", port = ""] = /^(.+):(\d+)$/.exec(text ?? "") ?? [];
  return text === undefined ? undefined : { host: host.replace(/^\[|\]$/g, ""), port: Number(port) };
}
