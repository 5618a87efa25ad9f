import { rateLimitPolicy } from "../http/rate-limit.js";
import { anything } from "../shapes/shape.js";
import { parseDuration } from "../values/durations.js";
import { isObject, type Json, type JsonObject } from "../values/json.js";
import type { Path } from "../values/paths.js";
import type { Preparer } from "./prepare.js";
import { optional, retainKeysOf, values } from "./prepare-values.js";
import type { ReadyTrigger, Reply, TriggerBase, Verify } from "./triggers.js";

/** Paths below /webhooks/ that are the service's own. */
const reserved = new Set(["draft", "openapi.json"]);

/** Prepares a webhook whose fields have the right shape. */
export function prepareWebhook(
  preparer: Preparer,
  own: JsonObject,
  path: Path,
  base: TriggerBase,
  raw: JsonObject,
): ReadyTrigger | undefined {
  const { source } = preparer;
  const address = String(own["path"]);
  if (!/^[a-z0-9](?:[a-z0-9-]{0,62}[a-z0-9])?$/.test(address))
    source.report([...path, "path"], "webhook", "A path is a-z, 0-9 and dashes, at most 64 characters.");
  else if (reserved.has(address))
    source.report([...path, "path"], "webhook", `"${address}" is the service's own. Use another path.`);
  const verify = verifyOf(own["verify"]);
  const oncePer = preparer.expression(raw["once-per"], [...path.slice(0, -1), "once-per"]);
  const idOf = preparer.expression(own["id-of"], [...path, "id-of"], ["item"]);
  const timed =
    verify.by === "standard-webhooks" || (verify.by === "hmac" && /\{timestamp\}/.test(verify.base));
  if (verify.by === "hmac" && !timed && !oncePer && !idOf)
    source.report(
      [...path, "verify"],
      "can-be-replayed",
      "Who has seen a delivery can send it again: no time is signed, and there is no once-per or id-of.",
      undefined,
      "advice",
    );
  if (own["origins"] !== undefined && ["basic", "bearer", "api-key", "jwt"].includes(verify.by))
    source.report(
      [...path, "origins"],
      "webhook",
      "A page of another site would have to know the secret. Pages may send only where no shared secret is asked for.",
    );
  if (own["response"] === "from-run" && base.fetch)
    source.report(
      [...path, "response"],
      "webhook",
      "The sender is answered before something is fetched, so it cannot get what the run responds.",
    );
  const retainKeys = retainKeysOf(preparer, raw, path);
  checkItems(preparer, own, path, raw);
  const { calls, per } = rateLimitPolicy(own["rate-limit"]) ?? {};
  preparer.duration(at(own["rate-limit"], "per"), [...path, "rate-limit", "per"]);
  const within = preparer.duration(own["within"], [...path, "within"]);
  const shake = own["handshake"];
  const when = isObject(shake)
    ? preparer.expression(shake["when"], [...path, "handshake", "when"])
    : undefined;
  const sign = isObject(shake)
    ? preparer.expression(shake["sign"], [...path, "handshake", "sign"])
    : undefined;
  // Whoever could have any body signed could forge deliveries with it (a signed challenge is no oracle).
  if (sign && !(verify.by === "hmac" && verify.base !== "${body}"))
    source.report(
      [...path, "handshake", "sign"],
      "webhook",
      'A challenge is signed only where deliveries are verified by "hmac" over more than their body: else a signed challenge could be sent as a delivery.',
    );
  const said = own["response"];
  const response = isObject(said)
    ? replyOf(preparer, said, [...path, "response"], 202)
    : said === "from-run"
      ? "from-run"
      : "accepted";
  return {
    ...base,
    kind: "webhook",
    path: address,
    methods: Array.isArray(own["methods"]) ? own["methods"].map(String) : ["POST"],
    verify,
    ...optional("oncePer", oncePer),
    ...optional("retainKeys", retainKeys),
    retainFailures: raw["retain-failures"] !== false,
    ...optional("items", preparer.expression(own["items"], [...path, "items"])),
    ...optional("idOf", idOf),
    each: own["one-run-each"] === "batch" ? "batch" : "item",
    ...(calls === undefined || per === undefined ? {} : { rateLimit: { calls, per } }),
    response,
    within: Math.min(within ?? 30_000, 600_000),
    ...(isObject(shake) && when
      ? {
          handshake: {
            when,
            reply: preparer.within<Reply>(sign ? { signature: anything } : {}, () =>
              replyOf(preparer, (shake["reply"] ?? {}) as JsonObject, [...path, "handshake", "reply"], 200),
            ),
            unsigned: shake["unsigned"] === true,
            ...optional("sign", sign),
          },
        }
      : {}),
    most: typeof own["most"] === "number" ? own["most"] : 1_000_000,
    ...values(preparer, own, path, ["origins"]),
  };
}

const at = (value: Json | undefined, key: string): Json | undefined =>
  isObject(value) ? value[key] : undefined;

/** What a delivery that holds many says has to fit together. */
function checkItems(preparer: Preparer, own: JsonObject, path: Path, raw: JsonObject): void {
  const { source } = preparer;
  const trigger = path.slice(0, -1);
  if (own["items"] === undefined) {
    for (const key of ["id-of", "one-run-each"])
      if (own[key] !== undefined)
        source.report([...path, key], "webhook", `"${key}" says something only beside "items".`);
    return;
  }
  if (raw["once-per"] !== undefined)
    source.report(
      [...trigger, "once-per"],
      "webhook",
      'With "items", "id-of" says what is the same in a repeat, of each item.',
    );
  if (own["response"] === "from-run" && own["one-run-each"] !== "batch")
    source.report(
      [...path, "response"],
      "webhook",
      'Each item has a run, so there is no single response. Use "accepted", or "one-run-each: batch".',
    );
}

function replyOf(preparer: Preparer, raw: JsonObject, path: Path, status: number): Reply {
  return {
    status: typeof raw["status"] === "number" ? raw["status"] : status,
    ...values(preparer, raw, path, ["headers", "body"]),
  };
}

function verifyOf(raw: Json | undefined): Verify {
  if (!isObject(raw)) return { by: "none" };
  const { hmac } = raw;
  if (isObject(hmac)) {
    const within = typeof hmac["within"] === "string" ? hmac["within"] : "5m";
    return {
      by: "hmac",
      using: String(hmac["using"]),
      header: String(hmac["header"]).toLowerCase(),
      value: typeof hmac["value"] === "string" ? hmac["value"] : "{hex}",
      base: typeof hmac["base"] === "string" ? hmac["base"] : "${body}",
      ...(typeof hmac["timestamp"] === "string" ? { timestamp: hmac["timestamp"].toLowerCase() } : {}),
      within: parseDuration(within) ?? 300_000,
    };
  }
  const { jwt } = raw;
  if (isObject(jwt)) {
    const given = jwt["algorithms"];
    return {
      by: "jwt",
      issuer: String(jwt["issuer"]),
      audience: String(jwt["audience"]),
      algorithms: Array.isArray(given) ? given.map(String) : ["RS256", "ES256"],
    };
  }
  const [by = "none", using] = Object.entries(raw)[0] ?? [];
  return { by: by as "bearer", using: String(using) };
}
