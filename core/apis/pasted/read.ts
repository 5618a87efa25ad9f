import { knownMethods } from "../../http/effect.js";
import { readCurl } from "./curl.js";
import { readFetch } from "./fetch.js";
import { readHar } from "./har.js";
import { looksLikeHttp, readHttp } from "./raw-http.js";
import { isAddress, mendedUrl, NotUnderstood, type PastedRequest } from "./request.js";
import { commandsOf } from "./shell.js";

/**
 * Reads a request from what somebody pasted: a `curl` command, a raw HTTP request, an entry of an HTTP archive, a
 * `fetch(…)` call, or a bare address, also with a method in front.
 * @throws NotUnderstood
 */
export function readPasted(text: string): PastedRequest {
  const bare = withoutFence(text).trim();
  if (bare === "") throw new NotUnderstood("The text is empty.");
  if (/^[{[]/.test(bare)) return readHar(bare);
  const commands = withoutPrompts(bare);
  if (curlLine.test(commands)) {
    const command = commandsOf(commands).find(({ words }) => /^curl(\.exe)?$/i.test(words[0] ?? ""));
    if (command) return readCurl(command);
  }
  const isCode = /^(await|return|const|let|var|async)\b/.test(bare);
  if (!isCode && looksLikeHttp(bare)) return readHttp(bare);
  if (/\bfetch\s*\(/.test(bare)) return readFetch(bare);
  const kind = others.find(([pattern]) => pattern.test(bare));
  if (kind)
    throw new NotUnderstood(
      `This is ${kind[1]}, which is not read. Paste the same request as a curl command or a raw HTTP request.`,
    );
  return readUrl(bare);
}

/** A command whose program is curl, perhaps behind variables that are set for it. */
const curlLine =
  /(^|[\n;&|({])[ \t]*((sudo|time|command|env|export|set)[ \t]+)*([A-Za-z_]\w*=\S*[ \t]+)*curl(\.exe)?[ \t\\`^]/i;

/** What else people paste, and what it is called. */
const others: [RegExp, string][] = [
  [/^(https?|xhs?)\s+(--?\w|[A-Z]{3,}\s|[\w.-]+(:\d+)?[/\s]|:)/, "an HTTPie command"],
  [/^wget\s/i, "a wget command"],
  [/\b(Invoke-(RestMethod|WebRequest)|irm|iwr)\b/i, "a PowerShell command"],
  [
    /\b(requests|httpx|session)\.(get|post|put|patch|delete|request)\s*\(|^\s*(import|from)\s+\w+|urllib/m,
    "a Python program",
  ],
  [/\baxios\b|\$\.(ajax|get|post)\b|XMLHttpRequest|\bgot\s*[.(]/, "a JavaScript program without fetch"],
  [/http\.NewRequest|http\.(Get|Post)\(/, "a Go program"],
  [/curl_setopt|curl_init|GuzzleHttp/, "a PHP program"],
  [/Net::HTTP|HTTParty|Faraday/, "a Ruby program"],
  [/HttpClient|HttpRequest|OkHttpClient|WebClient|RestTemplate/, "a Java or C# program"],
  [
    /^(openapi|swagger)\s*:/m,
    "an OpenAPI document. Import it with ckettle api import NAME FILE. As a request it is something",
  ],
];

/** The text inside of a fence, as documentation in Markdown has it. */
function withoutFence(text: string): string {
  return /(?:^|\n)[ \t]*```[^\n]*\n([\s\S]*?)\n[ \t]*```/.exec(text)?.[1] ?? text;
}

/** Commands without the prompts in front of their lines; what only looks like one, in a body, stays. */
function withoutPrompts(text: string): string {
  const first =
    /^[ \t]*(?:[\w.@~:/\\-]*[$%#]|PS [^>\n]*>)[ \t]+(?=(?:curl|sudo|time|command|env|export|set)\b|[A-Za-z_]\w*=)/gm;
  const bare = text.replace(first, "");
  return bare === text ? text : bare.replace(/(\\[ \t]*\r?\n)[ \t]*>[ \t]+/g, "$1");
}

function readUrl(text: string): PastedRequest {
  const notes: string[] = [];
  const [first = "", rest] = text.split(/\s+/, 2);
  const isMethod = knownMethods.includes(first.toUpperCase()) && rest !== undefined;
  // Quotes and brackets around an address, and what ends the sentence that it stood in.
  const address = (isMethod ? (rest as string) : text).trim().replace(/^["'<]+|["'>;,]+$/g, "");
  if (/\s/.test(address.trim()) || (isMethod && text.trim().split(/\s+/).length > 2 && !isAddress(address)))
    throw new NotUnderstood(
      "This is neither a curl command, a raw HTTP request, an HTTP archive, a fetch(…) call nor one address.",
    );
  if (isMethod && first !== first.toUpperCase())
    notes.push(`The method is written in capitals: ${first.toUpperCase()}.`);
  return {
    form: "URL",
    method: isMethod ? first.toUpperCase() : "GET",
    url: mendedUrl(address, notes),
    headers: [],
    notes,
  };
}
