import type { ResponseHeaders } from "../http/message.js";
import { isObject, type Json } from "../values/json.js";
import { saidIn } from "../http/said.js";
import { mediaTypeOf } from "../http/read-body.js";

/** A response as it is to be explained. */
export interface AnswerToExplain {
  status: number;
  headers: ResponseHeaders;
  body: Json;
  /** What was wrong with the body, where its media type promised something else. */
  fault?: string;
}

/** The request that it answers. */
export interface RequestToExplain {
  method: string;
  url: string;
  headers: readonly [string, string][];
}

/** What a response that is not a success most likely means, and what to do; null if it speaks for itself. */
export function explainAnswer(answer: AnswerToExplain, request: RequestToExplain): string | null {
  const { status, headers, body, fault } = answer;
  const { type } = mediaTypeOf(headers["content-type"]);
  if (fault) return `${fault} ${faultHint(type)}`;
  const wantsJson = request.headers.some(([name, value]) => /^accept$/i.test(name) && /json/i.test(value));
  if (type === "text/html" && wantsJson) return htmlHint(answer, request);
  if (status === 304)
    return "Nothing has changed since the response whose ETag or date was sent. It has no body; use what came before.";
  if (status >= 300 && status < 400) return redirectHint(headers, request);
  if (status < 400) return null;
  switch (status) {
    case 400:
    case 422:
      return `The API does not accept what was sent.${fieldHint(body)} Compare it with its documentation.`;
    case 404:
      return `The address, or what it names, does not exist.${quoteOf(body)} Check the path, its parameters and the server.`;
    case 405: {
      const allowed = typeof headers["allow"] === "string" ? ` It takes ${headers["allow"]}.` : "";
      return `This address does not accept ${request.method}.${allowed}`;
    }
    case 406:
      return "The API cannot respond in any of the formats that Accept asks for.";
    case 409:
      return "The request conflicts with what is there: it may exist already, or have changed in the meantime.";
    case 411:
    case 413:
      return "The body is too large for the API, or its length is missing.";
    case 415: {
      const sent = request.headers.find(([name]) => /^content-type$/i.test(name))?.[1] ?? "none";
      return `The API does not accept this kind of body: Content-Type was ${sent}.`;
    }
    case 429:
      return "Too many requests in a short time. A workflow waits as long as the response asks (Retry-After), and tries again.";
    default:
      return status >= 500 ? "The API failed. Try again in a moment." : null;
  }
}

/** What may be wrong with a body that is not what its media type says. */
function faultHint(type: string): string {
  if (/csv/.test(type))
    return 'Is the separator another sign, or the charset another one? Say it: read: { csv: { separator: ";" } }';
  return "Was it cut off on its way, or is it something else than its media type says?";
}

function redirectHint(headers: ResponseHeaders, { method }: RequestToExplain): string | null {
  const location = headers["location"];
  if (typeof location !== "string") return null;
  return `The address redirects to ${location}. Give that address instead${/^(GET|HEAD)$/i.test(method) ? "" : ', or let the step send the same request there with "redirects: resend"'}.`;
}

/** What the body itself says; with a blank in front. */
function quoteOf(body: Json): string {
  const said = saidIn(body);
  return said === undefined ? "" : ` It says: ${said.slice(0, mostShown).replace(/\.?$/, ".")}`;
}

/** How much of a page is looked at, and how much of its text is shown, in characters. */
const [mostOfPage, mostShown] = [10_000, 200];

/** The text of a page for people, without its marks. */
function pageText(page: Json): string {
  if (typeof page !== "string") return "";
  const text = page
    .slice(0, mostOfPage)
    .replace(/<(style|script|head)\b[^>]{0,200}>[^]*?<\/\1>/gi, " ")
    .replace(/<[^>]{0,500}>/g, " ")
    .replace(/\s+/g, " ")
    .trim();
  return text === "" ? "" : ` It says: ${text.slice(0, mostShown)}${text.length > mostShown ? "…" : ""}`;
}

function htmlHint({ status, body }: AnswerToExplain, { url }: RequestToExplain): string {
  const path = new URL(url).pathname;
  const suffix = /\.\w+$/.test(path) ? "" : ` Some APIs need a suffix: ${path}.json.`;
  const page =
    status >= 300 && status < 400
      ? "a redirect"
      : status < 300
        ? "a page for people, perhaps one to sign in"
        : "a page for people";
  return `The response is an HTML page instead of JSON: ${page}. Is this the address of the API, and not of its website?${suffix}${pageText(body)}`;
}

/** Which field an error body names, as many do. */
function fieldHint(body: Json): string {
  if (!isObject(body)) return "";
  const field = [body["field"], body["parameter"], body["param"], body["pointer"]].find(
    (value) => typeof value === "string",
  );
  return typeof field === "string" ? ` It names "${field}".` : "";
}
