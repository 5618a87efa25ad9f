import type { ResponseHeaders } from "../http/message.js";
import { isObject, type Json } from "../values/json.js";
import { mediaTypeOf } from "../http/read.js";

/** An answer as it is to be explained. */
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

/** What an answer that is no success most likely means, and what to do; null where it speaks for itself. */
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
      return `The other side does not take what was sent.${fieldHint(body)} Compare it with its documentation.`;
    case 404:
      return "The address does not exist there: look at the path, at its parameters, and at the server.";
    case 405: {
      const allowed = typeof headers["allow"] === "string" ? ` It takes ${headers["allow"]}.` : "";
      return `This address does not take ${request.method}.${allowed}`;
    }
    case 406:
      return "The other side cannot answer in any of the forms that Accept asks for.";
    case 409:
      return "It is in conflict with what is there already: it may exist, or have changed meanwhile.";
    case 411:
    case 413:
      return "The body is too large for the other side, or its length is missing.";
    case 415: {
      const sent = request.headers.find(([name]) => /^content-type$/i.test(name))?.[1] ?? "none";
      return `The other side does not take this kind of body: Content-Type was ${sent}.`;
    }
    case 429:
      return "Too many requests in a short time. A workflow waits as long as the answer asks (Retry-After), and tries again.";
    default:
      return status >= 500 ? "The other side failed; it may do better a moment later." : null;
  }
}

function htmlHint(status: number, { url }: RequestToExplain): string {
  const path = new URL(url).pathname;
  const suffix = /\.\w+$/.test(path) ? "" : ` Some APIs want a suffix: ${path}.json.`;
  const page =
    status >= 300 && status < 400
      ? "a redirect"
      : status < 300
        ? "a page for people, perhaps one to sign in"
        : "a page for people";
  return `An HTML page came where JSON was wanted: ${page}. Is it the address of the API, and not of its site?${suffix}`;
}

/** Which field an error body names, as many do. */
function fieldHint(body: Json): string {
  if (!isObject(body)) return "";
  const field = [body["field"], body["parameter"], body["param"], body["pointer"]].find(
    (value) => typeof value === "string",
  );
  return typeof field === "string" ? ` It names "${field}".` : "";
}
