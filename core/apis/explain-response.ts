import type { ResponseHeaders } from "../http/message.js";
import { isObject, type Json } from "../values/json.js";
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
  if (fault) return `${fault} Was it cut off on its way, or is it no JSON at all?`;
  const { type } = mediaTypeOf(headers["content-type"]);
  const wantsJson = request.headers.some(([name, value]) => /^accept$/i.test(name) && /json/i.test(value));
  if (type === "text/html" && wantsJson) return htmlHint(status, request);
  if (status < 400) return null;
  switch (status) {
    case 400:
    case 422:
      return `The API does not accept what was sent.${fieldHint(body)} Compare it with its documentation.`;
    case 404:
      return "The address does not exist. Check the path, its parameters and the server.";
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

function htmlHint(status: number, { url }: RequestToExplain): string {
  const path = new URL(url).pathname;
  const suffix = /\.\w+$/.test(path) ? "" : ` Some APIs need a suffix: ${path}.json.`;
  const page =
    status >= 300 && status < 400
      ? "a redirect"
      : status < 300
        ? "a page for people, perhaps one to sign in"
        : "a page for people";
  return `The response is an HTML page instead of JSON: ${page}. Is this the address of the API, and not of its website?${suffix}`;
}

/** Which field an error body names, as many do. */
function fieldHint(body: Json): string {
  if (!isObject(body)) return "";
  const field = [body["field"], body["parameter"], body["param"], body["pointer"]].find(
    (value) => typeof value === "string",
  );
  return typeof field === "string" ? ` It names "${field}".` : "";
}
