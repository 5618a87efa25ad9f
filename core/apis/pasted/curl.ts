import type { JsonObject } from "../../values/json.js";
import { addField } from "./fields.js";
import { optionsIn } from "./curl-options.js";
import {
  bodyOf,
  formOf,
  headerIn,
  isAddress,
  mendedUrl,
  NotUnderstood,
  type PastedBody,
  type PastedRequest,
} from "./request.js";
import type { ShellCommand } from "./shell.js";

/** Reads a `curl` command that is split into words, by what curl's own manual says of its options. */
export function readCurl({ words, input }: ShellCommand): PastedRequest {
  const pasted: PastedRequest = { form: "curl", method: "", url: "", headers: [], notes: [] };
  const read: Read = { data: [], fields: {}, isForm: false, isHead: false, get: false, query: [], input };
  const addresses: string[] = [];
  for (let at = 1; at < words.length; at++) {
    const word = words[at] as string;
    if (!word.startsWith("-") || word === "-") {
      addresses.push(word);
      continue;
    }
    for (const { name, known, takesValue, value } of optionsIn(word)) {
      const given = takesValue ? words[++at] : value;
      const shown = name.startsWith("-") ? name : word.startsWith("--") ? `--${name}` : word;
      if (!known) pasted.notes.push(`The option ${shown} is unknown, and was left out.`);
      else if (takesValue && given === undefined)
        throw new NotUnderstood(`The option ${shown} has no value behind it.`);
      else if (name === "next") {
        pasted.notes.push("The command sends several requests (--next). The first one was used.");
        at = words.length;
      } else take(pasted, read, name, given ?? "", addresses);
    }
  }
  // What is not known may have a value behind it: of several words the one that looks like an address counts.
  pasted.url = addresses.find(isAddress) ?? addresses[0] ?? "";
  const others = addresses.filter((one) => one !== pasted.url);
  if (others.length > 0) pasted.notes.push(`What was left out: ${others.join(", ")}.`);
  if (!pasted.url) throw new NotUnderstood("This command has no address.");
  return finished(pasted, read);
}

interface Read {
  data: string[];
  /** The file that the body is, and how its media type is told. */
  file?: string;
  fields: JsonObject;
  isForm: boolean;
  isHead: boolean;
  isUpload?: boolean;
  get: boolean;
  query: string[];
  /** What a here-document gives. */
  input: string | undefined;
}

/** Options that say what to send otherwise, or through what; a sentence of what to do. */
const elsewhere: Record<string, string> = {
  insecure:
    "--insecure is left out: certificates are always checked. An authority of your own goes into the network settings of the API.",
  cert: "The client certificate is not in the command. Add it as a credential: ckettle credential add NAME --kind mutual-tls.",
  key: "The private key is not in the command. It belongs to a credential of the kind mutual-tls.",
  cacert: "The authority is not in the command. Give it in the network settings of the API.",
  capath: "The authority is not in the command. Give it in the network settings of the API.",
  proxy: "The proxy is left out. Give it in the network settings of the API.",
  "proxy-user": "The user of the proxy is left out. Give it in the network settings of the API.",
  netrc: "The password is in a file (.netrc), and not in the command. Add it as a credential.",
  "netrc-file": "The password is in a file, and not in the command. Add it as a credential.",
  ntlm: "NTLM is not supported. Ask the API for another way to authenticate.",
  negotiate: "Negotiate (Kerberos) is not supported. Ask the API for another way to authenticate.",
  "aws-sigv4": "The request is signed. Add a credential of the kind signed, which says how.",
  config: "More options are in a file (--config), which was not read.",
  "unix-socket": "The command goes to a socket of its own machine, which cannot be called.",
  resolve: "--resolve is left out: names are resolved by the service.",
  "connect-to": "--connect-to is left out: names are resolved by the service.",
  "request-target": "--request-target is left out: the path of the address is sent.",
  "time-cond": "--time-cond is left out. Send the header If-Modified-Since instead.",
};

function take(pasted: PastedRequest, read: Read, option: string, value: string, addresses: string[]): void {
  const told = elsewhere[option];
  if (told !== undefined) {
    if (!pasted.notes.includes(told)) pasted.notes.push(told);
    return;
  }
  switch (option) {
    case "request":
      pasted.method = value;
      return;
    case "url":
      addresses.push(value);
      return;
    case "get":
      read.get = true;
      return;
    case "head":
      read.isHead = true;
      return;
    case "header":
      return takeHeader(pasted, value);
    case "user-agent":
      pasted.headers.push(["User-Agent", value]);
      return;
    case "referer":
      pasted.headers.push(["Referer", value]);
      return;
    case "range":
      pasted.headers.push(["Range", `bytes=${value}`]);
      return;
    case "cookie":
      if (value.includes("=")) pasted.headers.push(["Cookie", value]);
      else pasted.notes.push(`The cookies are in the file ${value}, which was not read.`);
      return;
    case "oauth2-bearer":
      pasted.headers.push(["Authorization", `Bearer ${value}`]);
      return;
    case "digest":
    case "user": {
      const [user = "", ...password] = value.split(":");
      const before = pasted.user ?? { user: "", password: "" };
      const given = option === "user" ? { user, password: password.join(":") } : {};
      pasted.user = { ...before, ...given, ...(option === "digest" ? { scheme: "digest" } : {}) };
      return;
    }
    case "url-query":
      read.query.push(value.startsWith("+") ? value.slice(1) : encodedPair(value, pasted.notes));
      return;
    case "json":
      takeData(pasted, read, value);
      for (const [name, type] of [
        ["Content-Type", "application/json"],
        ["Accept", "application/json"],
      ] as const)
        if (headerIn(pasted.headers, name) === undefined) pasted.headers.push([name, type]);
      return;
    case "data-urlencode":
      read.data.push(encodedPair(value, pasted.notes));
      return;
    case "form":
    case "form-string":
      return takeField(read, option, value, pasted.notes);
    case "upload-file":
      read.isUpload = true;
      return takeData(pasted, read, `@${value}`);
    case "data-raw":
      read.data.push(value);
      return;
    case "data":
    case "data-ascii":
    case "data-binary":
      return takeData(pasted, read, value);
  }
}

function takeHeader(pasted: PastedRequest, value: string): void {
  const match = /^([^:;]+)([:;])\s*([\s\S]*)$/.exec(value);
  const [, name = "", sign, text = ""] = match ?? [];
  if (value.startsWith("@"))
    pasted.notes.push(`More headers are in the file ${value.slice(1)}, which was not read.`);
  else if (!match) pasted.notes.push(`The header "${value}" has no colon, and was left out.`);
  // `Name:` takes a header of curl's own away; `Name;` sends it empty.
  else if (sign === ":" && text === "") pasted.headers.push([name.trim(), ""]);
  else pasted.headers.push([name.trim(), text.trim()]);
}

/** Data, or the file or standard input that it is read from. */
function takeData(pasted: PastedRequest, read: Read, value: string): void {
  if (!value.startsWith("@")) return void read.data.push(value);
  const file = value.slice(1);
  if (file === "-" && read.input !== undefined) return void read.data.push(read.input);
  read.file = file === "-" ? "standard input" : file;
  pasted.notes.push(
    `The body is the file ${read.file}, which was not read. Give it when the operation is called.`,
  );
}

function takeField(read: Read, option: string, value: string, notes: string[]): void {
  const at = value.indexOf("=");
  const name = at < 0 ? value : value.slice(0, at);
  const text = at < 0 ? "" : value.slice(at + 1);
  read.isForm = true;
  addField(read.fields, name, fieldOf(option, name, text, notes));
}

function fieldOf(option: string, name: string, text: string, notes: string[]): string | JsonObject {
  if (option === "form-string") return text;
  const type = /;type=([^;]*)/.exec(text)?.[1];
  const bare = text.replace(/;(type|filename|headers|encoder)=[^;]*/g, "").replace(/^"(.*)"$/s, "$1");
  if (!/^[@<]/.test(bare)) return type ? { text: bare, mediaType: type } : bare;
  const file = bare.slice(1);
  notes.push(`The field ${name} is the file ${file}. Give it when the operation is called.`);
  return { file, ...(type ? { mediaType: type } : {}) };
}

/** `name=value` with its value encoded; `=value` and `value` alone are encoded whole; `name@file` is a file. */
function encodedPair(text: string, notes: string[]): string {
  const at = text.search(/[=@]/);
  if (at >= 0 && text.charAt(at) === "@") {
    notes.push(
      `The value of ${text.slice(0, at) || "the body"} is in the file ${text.slice(at + 1)}, which was not read.`,
    );
    return at === 0 ? "" : `${text.slice(0, at)}=`;
  }
  if (at <= 0) return encodeURIComponent(text.slice(at + 1));
  return `${text.slice(0, at)}=${encodeURIComponent(text.slice(at + 1))}`;
}

function finished(pasted: PastedRequest, read: Read): PastedRequest {
  // What --json says twice is one text.
  const data = read.data.join(/^\s*[[{]/.test(read.data[0] ?? "") ? "" : "&");
  const extra = [...read.query, ...(read.get && data ? [data] : [])].join("&");
  pasted.url = mendedUrl(pasted.url, pasted.notes);
  if (extra) pasted.url += (pasted.url.includes("?") ? "&" : "?") + extra;
  const type = headerIn(pasted.headers, "content-type");
  const body = bodyFrom(read, data, type);
  if (body) pasted.body = body;
  if (body?.kind === "json" && type === undefined)
    pasted.notes.push("The body is JSON, and is sent as application/json.");
  pasted.method ||= read.isHead ? "HEAD" : read.isUpload ? "PUT" : body ? "POST" : "GET";
  return pasted;
}

function bodyFrom(read: Read, data: string, type: string | undefined): PastedBody | undefined {
  if (read.isForm) return { kind: "multipart", fields: read.fields };
  if (read.get) return undefined;
  if (read.file !== undefined) return { kind: "file", name: read.file, ...(type ? { type } : {}) };
  if (!data) return undefined;
  // Without a Content-Type the command sends a form, whatever it looks like; JSON is what is meant where it is JSON.
  return type === undefined && !/^\s*[[{]/.test(data)
    ? { kind: "form", fields: formOf(data) }
    : bodyOf(data, type);
}
