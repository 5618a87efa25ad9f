import { isObject, printJson, type Json } from "../values/json.js";
import type { ShownKey } from "./describe-openapi.js";
import type { Verify } from "./triggers.js";

/** A call as it can be pasted; secrets come from variables of the environment. */
export interface Snippets {
  curl: string;
  /** An ES module for Node.js 18 or later. */
  fetch: string;
}

/** A call to show. */
export interface Shown {
  method: string;
  url: string;
  headers: Record<string, string>;
  body: Json | undefined;
  verify: Verify;
  places: readonly ShownKey[];
}

/**
 * The same call for curl (in a POSIX shell, with openssl where it has to be signed) and for `fetch`. `$SECRET` is the
 * secret, token or key; `$LOGIN` user and password with a colon; `$ADDRESS` the unguessable part of an address.
 */
export function snippets(shown: Shown): Snippets {
  const body = shown.body === undefined ? undefined : printJson(shown.body);
  return { curl: curlOf(shown, body), fetch: fetchOf(shown, body) };
}

/** A text in single quotes of a shell (POSIX, section 2.2.2). */
const quoted = (text: string): string => `'${text.replaceAll("'", `'\\''`)}'`;

function curlOf({ method, url, headers, verify, places }: Shown, body: string | undefined): string {
  const fields = Object.entries({
    ...(body === undefined ? {} : { "Content-Type": "application/json" }),
    ...headers,
  });
  const lines: string[] = [];
  const more: string[] = [];
  let address = quoted(url);
  const signed = (base: string, key: string, form: string) =>
    `signature=$(printf '%s' ${base} | openssl dgst -sha256 -mac HMAC -macopt ${key} -binary | ${form})`;
  switch (verify.by) {
    case "standard-webhooks":
      lines.push(
        `id=msg_$(date +%s)$$; time=$(date +%s); body=${quoted(body ?? "")}`,
        `key=$(printf '%s' "\${SECRET#whsec_}" | base64 -d | od -An -v -tx1 | tr -d ' \\n')`,
        signed('"$id.$time.$body"', '"hexkey:$key"', "base64 -w0"),
      );
      more.push(
        '-H "webhook-id: $id"',
        '-H "webhook-timestamp: $time"',
        '-H "webhook-signature: v1,$signature"',
      );
      break;
    case "hmac": {
      const parts = verify.base
        .split(/(\$\{(?:timestamp|body)\})/)
        .map((part) =>
          part === "${timestamp}"
            ? '"$time"'
            : part === "${body}"
              ? '"$body"'
              : part === ""
                ? ""
                : quoted(part),
        );
      const isHex = !verify.value.includes("{base64}");
      lines.push(
        `time=$(date +%s); body=${quoted(body ?? "")}`,
        `key=$(printf '%s' "$SECRET" | od -An -v -tx1 | tr -d ' \\n')`,
        signed(parts.join(""), '"hexkey:$key"', isHex ? "od -An -v -tx1 | tr -d ' \\n'" : "base64 -w0"),
      );
      const value = verify.value.replace("{timestamp}", "$time").replace(/\{(hex|base64)\}/, "$signature");
      more.push(`-H "${verify.header}: ${value}"`);
      if (verify.timestamp !== undefined) more.push(`-H "${verify.timestamp}: $time"`);
      break;
    }
    case "basic":
      more.push('-u "$LOGIN"');
      break;
    case "bearer":
    case "jwt":
      more.push('-H "Authorization: Bearer $SECRET"');
      break;
    case "api-key":
      for (const { place, name, prefix } of places) {
        if (place === "query") address = `${quoted(withQuery(url, name))}"$SECRET"`;
        else if (place === "cookie") more.push(`-b "${name}=${prefix}$SECRET"`);
        else more.push(`-H "${name}: ${prefix}$SECRET"`);
      }
      break;
    case "none":
      address = withAddress(
        url,
        (before, after) => `${quoted(before)}"$ADDRESS"${after === "" ? "" : quoted(after)}`,
      );
  }
  const isSigned = lines.length > 0;
  const sent = body === undefined ? [] : [`--data-raw ${isSigned ? '"$body"' : quoted(body)}`];
  const call = [
    `curl -sS -X ${method} ${address}`,
    ...more,
    ...fields.map(([name, value]) => `-H ${quoted(`${name}: ${value}`)}`),
    ...sent,
  ].join(" \\\n  ");
  return [...lines, call].join("\n");
}

function fetchOf({ method, url, headers, verify, places }: Shown, body: string | undefined): string {
  const lines: string[] = [];
  const fields: string[] = Object.entries({
    ...(body === undefined ? {} : { "Content-Type": "application/json" }),
    ...headers,
  }).map(([name, value]) => `${printJson(name)}: ${printJson(value)}`);
  let address = printJson(url);
  const hmac = (key: string, base: string, form: string) =>
    `const signature = createHmac("sha256", ${key}).update(${base}).digest(${printJson(form)});`;
  if (body !== undefined) lines.push(`const body = JSON.stringify(${printJson(shownBody(body))});`);
  const bodyText = body === undefined ? '""' : "body";
  const now = "const time = String(Math.floor(Date.now() / 1000));";
  switch (verify.by) {
    case "standard-webhooks":
      lines.unshift('import { createHmac, randomUUID } from "node:crypto";');
      lines.push(
        "const id = `msg_${randomUUID()}`;",
        now,
        'const key = Buffer.from(process.env.SECRET.replace(/^whsec_/, ""), "base64");',
        hmac("key", `\`\${id}.\${time}.\${${bodyText}}\``, "base64"),
      );
      fields.push('"webhook-id": id', '"webhook-timestamp": time', '"webhook-signature": `v1,${signature}`');
      break;
    case "hmac": {
      lines.unshift('import { createHmac } from "node:crypto";');
      const base = verify.base
        .split(/(\$\{(?:timestamp|body)\})/)
        .filter((part) => part !== "")
        .map((part) => (part === "${timestamp}" ? "time" : part === "${body}" ? bodyText : printJson(part)))
        .join(" + ");
      lines.push(now, hmac("process.env.SECRET", base, verify.value.includes("{base64}") ? "base64" : "hex"));
      const value = verify.value
        .replace("{timestamp}", "${time}")
        .replace(/\{(hex|base64)\}/, "${signature}");
      fields.push(`${printJson(verify.header)}: \`${value}\``);
      if (verify.timestamp !== undefined) fields.push(`${printJson(verify.timestamp)}: time`);
      break;
    }
    case "basic":
      fields.push('Authorization: `Basic ${Buffer.from(process.env.LOGIN).toString("base64")}`');
      break;
    case "bearer":
    case "jwt":
      fields.push("Authorization: `Bearer ${process.env.SECRET}`");
      break;
    case "api-key":
      for (const { place, name, prefix } of places) {
        if (place === "query")
          address = `${printJson(withQuery(url, name))} + encodeURIComponent(process.env.SECRET)`;
        else if (place === "cookie") fields.push(`Cookie: \`${name}=${prefix}\${process.env.SECRET}\``);
        else fields.push(`${printJson(name)}: \`${prefix}\${process.env.SECRET}\``);
      }
      break;
    case "none":
      address = withAddress(
        url,
        (before, after) =>
          `${printJson(before)} + process.env.ADDRESS${after === "" ? "" : ` + ${printJson(after)}`}`,
      );
  }
  const options = [
    `method: ${printJson(method)}`,
    ...(fields.length > 0 ? [`headers: { ${fields.join(", ")} }`] : []),
    ...(body === undefined ? [] : ["body"]),
  ];
  return [
    ...lines,
    `const response = await fetch(${address}, {`,
    ...options.map((one) => `  ${one},`),
    "});",
    "console.log(response.status, await response.text());",
  ].join("\n");
}

const shownBody = (body: string): Json => {
  const value = JSON.parse(body) as Json;
  return isObject(value) || Array.isArray(value) ? value : body;
};

/** A URL whose query ends where the value of one more parameter begins. */
function withQuery(url: string, name: string): string {
  return `${url}${url.includes("?") ? "&" : "?"}${encodeURIComponent(name)}=`;
}

/** A URL in which the unguessable part stands at the end of the path. */
function withAddress(url: string, join: (before: string, after: string) => string): string {
  const [path = "", query] = url.split("?");
  return join(`${path}/`, query === undefined ? "" : `?${query}`);
}
