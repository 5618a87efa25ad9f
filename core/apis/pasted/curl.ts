import { split } from "shlex";
import type { JsonObject } from "../../values/json.js";
import { bodyOf, formOf, headerIn, mendedUrl, NotUnderstood, type PastedRequest } from "./request.js";

/** Options that say nothing about the request itself. */
const silent = new Set([
  ...[
    "-s",
    "--silent",
    "-S",
    "--show-error",
    "-v",
    "--verbose",
    "-i",
    "--include",
    "-f",
    "--fail",
    "-L",
    "--location",
  ],
  ...[
    "--compressed",
    "-#",
    "--progress-bar",
    "-g",
    "--globoff",
    "-N",
    "--no-buffer",
    "--fail-with-body",
    "--http1.1",
    "--http2",
  ],
]);
/** The same, with a value behind them. */
const silentWithValue = new Set([
  ...[
    "-o",
    "--output",
    "-w",
    "--write-out",
    "-m",
    "--max-time",
    "--connect-timeout",
    "--retry",
    "--max-redirs",
    "-D",
    "--dump-header",
  ],
]);

const long: Record<string, string> = {
  "-X": "--request",
  "-H": "--header",
  "-d": "--data",
  "--data-ascii": "--data",
  "-F": "--form",
  "-G": "--get",
  "-u": "--user",
  "-b": "--cookie",
  "-A": "--user-agent",
  "-e": "--referer",
  "-I": "--head",
  "-k": "--insecure",
};
const withValue = new Set([
  ...[
    "--request",
    "--header",
    "--data",
    "--data-raw",
    "--data-binary",
    "--data-urlencode",
    "--json",
    "--form",
    "--form-string",
  ],
  ...["--user", "--cookie", "--user-agent", "--referer", "--url", "--oauth2-bearer", "--url-query"],
]);

/** Reads a `curl` command, as a documentation prints it: quotes of both shells, continued lines. */
export function readCurl(text: string): PastedRequest {
  const pasted: PastedRequest = { form: "curl", method: "", url: "", headers: [], notes: [] };
  const read: Read = { data: [], fields: {}, isForm: false, get: false, query: [] };
  const words = wordsOf(text);
  for (let at = 1; at < words.length; at++) {
    const word = words[at] as string;
    if (!word.startsWith("-") || word === "-") {
      if (pasted.url) pasted.notes.push(`The second address ${word} was left out.`);
      else pasted.url = word;
      continue;
    }
    const { name, value } = optionOf(word);
    const option = long[name] ?? name;
    if (silent.has(option)) continue;
    if (silentWithValue.has(option)) at += value === undefined ? 1 : 0;
    else if (withValue.has(option)) {
      const given = value ?? words[++at];
      if (given === undefined) throw new NotUnderstood(`The option ${name} has no value behind it.`);
      take(pasted, read, option, given);
    } else if (option === "--get") read.get = true;
    else if (option === "--head") pasted.method ||= "HEAD";
    else if (option === "--insecure")
      pasted.notes.push("--insecure is left out: certificates are always checked.");
    else pasted.notes.push(`The option ${name} is unknown, and was left out.`);
  }
  if (!pasted.url) throw new NotUnderstood("This command has no address.");
  return finished(pasted, read);
}

interface Read {
  data: string[];
  fields: JsonObject;
  isForm: boolean;
  get: boolean;
  query: string[];
}

function take(pasted: PastedRequest, read: Read, option: string, value: string): void {
  switch (option) {
    case "--request":
      pasted.method = value.toUpperCase();
      return;
    case "--url":
      pasted.url = value;
      return;
    case "--header": {
      const match = /^([^:;]+)[:;]\s*([\s\S]*)$/.exec(value);
      if (match) pasted.headers.push([(match[1] as string).trim(), (match[2] as string).trim()]);
      else pasted.notes.push(`The header "${value}" has no colon, and was left out.`);
      return;
    }
    case "--user-agent":
      pasted.headers.push(["User-Agent", value]);
      return;
    case "--referer":
      pasted.headers.push(["Referer", value]);
      return;
    case "--cookie":
      pasted.headers.push(["Cookie", value]);
      return;
    case "--oauth2-bearer":
      pasted.headers.push(["Authorization", `Bearer ${value}`]);
      return;
    case "--user": {
      const [user = "", ...password] = value.split(":");
      pasted.user = { user, password: password.join(":") };
      return;
    }
    case "--url-query":
      read.query.push(encodedPair(value));
      return;
    case "--json":
      read.data.push(value);
      for (const [name, type] of [
        ["Content-Type", "application/json"],
        ["Accept", "application/json"],
      ] as const)
        if (headerIn(pasted.headers, name) === undefined) pasted.headers.push([name, type]);
      return;
    case "--data-urlencode":
      read.data.push(encodedPair(value));
      return;
    case "--form":
    case "--form-string": {
      const at = value.indexOf("=");
      const name = at < 0 ? value : value.slice(0, at);
      const field = at < 0 ? "" : value.slice(at + 1);
      if (option === "--form" && /^[@<]/.test(field))
        pasted.notes.push(
          `The field ${name} is the file ${field.slice(1)}; give it when the operation is called.`,
        );
      read.fields[name] = field.replace(/;type=[^;]*$/, "");
      read.isForm = true;
      return;
    }
    default:
      if (value.startsWith("@") && option !== "--data-raw")
        pasted.notes.push(`The body is the file ${value.slice(1)}; it was not read.`);
      read.data.push(value);
  }
}

/** `name=value` with its value encoded; `=value` and `value` alone are encoded whole. */
function encodedPair(text: string): string {
  const at = text.indexOf("=");
  if (at <= 0) return encodeURIComponent(text.slice(at + 1));
  return `${text.slice(0, at)}=${encodeURIComponent(text.slice(at + 1))}`;
}

function finished(pasted: PastedRequest, read: Read): PastedRequest {
  const data = read.data.join("&");
  const extra = [...read.query, ...(read.get && data ? [data] : [])].join("&");
  pasted.url = mendedUrl(pasted.url, pasted.notes);
  if (extra) pasted.url += (pasted.url.includes("?") ? "&" : "?") + extra;
  const type = headerIn(pasted.headers, "content-type");
  if (read.isForm) pasted.body = { kind: "multipart", fields: read.fields };
  else if (data && !read.get)
    // Without a Content-Type the command sends a form, whatever it looks like; JSON is what is meant where it is JSON.
    pasted.body =
      type === undefined && !/^\s*[[{]/.test(data)
        ? { kind: "form", fields: formOf(data) }
        : bodyOf(data, type);
  if (pasted.body?.kind === "json" && type === undefined)
    pasted.notes.push("The body is JSON, and is sent as application/json.");
  pasted.method ||= pasted.body ? "POST" : "GET";
  return pasted;
}

/** `--name=value` and `-Xvalue` in two. */
function optionOf(word: string): { name: string; value: string | undefined } {
  if (word.startsWith("--")) {
    const at = word.indexOf("=");
    return at < 0 ? { name: word, value: undefined } : { name: word.slice(0, at), value: word.slice(at + 1) };
  }
  const name = word.slice(0, 2);
  if (word.length === 2) return { name, value: undefined };
  const option = long[name] ?? name;
  if (withValue.has(option) || silentWithValue.has(option)) return { name, value: word.slice(2) };
  return { name: word, value: undefined };
}

/** The words of a command: POSIX quotes and `$'…'`, or those of the Windows shell (`^` at line ends, `\\"`). */
function wordsOf(text: string): string[] {
  const windows = /\^\s*\r?\n/.test(text) || /\^"/.test(text);
  const joined = windows
    ? text.replace(/\^\s*\r?\n/g, " ").replace(/\^(.)/g, "$1")
    : text.replace(/\\[ \t]*\r?\n/g, " ");
  const ansi = joined.replace(/\$'((?:\\.|[^'\\])*)'/g, (_whole, inner: string) => `'${ansiC(inner)}'`);
  try {
    return split(ansi).flatMap((word) => expandedFlags(word));
  } catch (error) {
    throw new NotUnderstood(
      `The command cannot be split into words: ${(error as Error).message}. Is a quote missing?`,
    );
  }
}

/** `-sSL` is three flags. */
function expandedFlags(word: string): string[] {
  if (!/^-[a-zA-Z]{2,}$/.test(word)) return [word];
  const flags = [...word.slice(1)].map((letter) => `-${letter}`);
  return flags.every((flag) => silent.has(flag) || flag === "-k" || flag === "-G" || flag === "-I")
    ? flags
    : [word];
}

function ansiC(text: string): string {
  const plain = text.replace(/\\(u[0-9a-fA-F]{4}|n|t|r|.)/g, (_whole, code: string) => {
    if (code.startsWith("u")) return String.fromCharCode(Number.parseInt(code.slice(1), 16));
    return { n: "\n", t: "\t", r: "\r" }[code] ?? code;
  });
  return plain.replaceAll("'", `'"'"'`);
}

/** Stands for a secret in a printed command; the shell puts it in from its environment. */
export const secretVariable = "$SECRET";

/** A request as a `curl` command, for the POSIX shell; secrets stand as {@link secretVariable}. */
export function printCurl(request: {
  method: string;
  url: string;
  headers: [string, string][];
  body?: string | undefined;
}): string {
  const quote = (text: string) =>
    text.includes(secretVariable)
      ? `"${text
          .split(secretVariable)
          .map((part) => part.replace(/[\\"$`]/g, "\\$&"))
          .join(secretVariable)}"`
      : `'${text.replaceAll("'", `'"'"'`)}'`;
  const lines = [`curl ${request.method === "GET" ? "" : `-X ${request.method} `}${quote(request.url)}`];
  for (const [name, value] of request.headers) lines.push(`-H ${quote(`${name}: ${value}`)}`);
  if (request.body !== undefined) lines.push(`--data-raw ${quote(request.body)}`);
  return lines.join(" \\\n  ");
}
