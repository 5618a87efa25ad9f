import {
  answerChallenge,
  authorize,
  identityOf,
  type Proof,
  type Several,
} from "../../../credentials/credential.js";
import { knownEffect } from "../../../http/effect.js";
import { asLook, movedTo, noSecrets, sameOrigin, type SecretParts } from "../../../http/other-origin.js";
import { mediaTypeOf, type BodyReading } from "../../../http/read-body.js";
import { wholeRequest } from "../../../http/body-pieces.js";
import type { JsonObject } from "../../../values/json.js";
import type { HttpRequest, HttpResponse, TransportFailure } from "../../../http/message.js";
import type { RecordedResponse, ShownAuthorization } from "../../entries.js";
import type { FileAbout, Ports, SendOptions } from "../../ports.js";

/** How one attempt came out. */
export interface Exchanged {
  /** When it was sent, in milliseconds since 1970. */
  sentAt: number;
  response?: RecordedResponse;
  failure?: TransportFailure;
  authorization: ShownAuthorization[];
  /** The URLs that were passed through, where redirects were followed. */
  redirects: string[];
}

const mostRedirects = 5;
const redirecting = new Set([301, 302, 303, 307, 308]);

/** What an exchange uses of the ports. */
export type ExchangePorts = Pick<Ports, "clock" | "transport" | "nonce" | "read"> & {
  files: { keep(bytes: Uint8Array, about: FileAbout): Promise<JsonObject> };
};

export interface ExchangeOptions extends SendOptions {
  /**
   * Which redirects are followed: all of them; those after which the other place is only looked at (303); also those to
   * which the same request is sent again, on the same origin; or none.
   */
  follow: "all" | "see-other" | "resend" | "none";
  read?: BodyReading;
  /** Gets what the proof added, also where no response comes. */
  shown?: ShownAuthorization[];
  /** What of the request goes to no other origin. */
  secrets?: SecretParts;
}

/** Authorizes and sends a request, and reads its response; follows redirects where that is asked for. */
export async function exchange(
  ports: ExchangePorts,
  request: HttpRequest,
  proof: Proof | Several | undefined,
  options: ExchangeOptions,
): Promise<Exchanged> {
  const sentAt = ports.clock.now();
  const redirects: string[] = [];
  const first = await sendAuthorized(ports, request, proof, options);
  let { response } = first;
  let from = request.url;
  let sent = request;
  while (redirecting.has(response.status) && redirects.length < mostRedirects) {
    const to = locationOf(response, from);
    // After 303 the other place is only looked at (RFC 9110 section 15.4.4).
    const asked = response.status === 303 && sent.method !== "HEAD" ? asLook(sent) : sent;
    if (to === undefined || !mayFollow(options.follow, asked, from, to)) break;
    sent = asked;
    const next = to === undefined ? undefined : movedTo(asked, to, options.secrets ?? noSecrets);
    if (!next) break;
    redirects.push(from);
    ({ response } = await sendAuthorized(
      ports,
      next,
      sameOrigin(to, request.url) ? proof : undefined,
      options,
    ));
    from = to;
  }
  return {
    sentAt,
    response: await recorded(ports, response, from, options.read),
    authorization: first.shown,
    redirects,
  };
}

function mayFollow(
  follow: ExchangeOptions["follow"],
  { method }: HttpRequest,
  from: string,
  to: string,
): boolean {
  if (follow === "none") return false;
  if (follow === "all" || knownEffect(method) === "reads") return true;
  return follow === "resend" && sameOrigin(from, to);
}

/** Sends a request with its proof; answers a challenge once. */
async function sendAuthorized(
  ports: ExchangePorts,
  given: HttpRequest,
  proof: Proof | Several | undefined,
  options: SendOptions & { shown?: ShownAuthorization[] },
): Promise<{ response: HttpResponse; shown: ShownAuthorization[] }> {
  if (!proof) return { response: await ports.transport.send(given, options), shown: [] };
  const fresh = () => ({ now: ports.clock.now(), nonce: ports.nonce() });
  const identity = identityOf(proof);
  const how = identity ? { ...options, identity } : options;
  // What is computed over the body needs it whole.
  const proofs = proof.kind === "several" ? proof.proofs : [proof];
  const isOverBody = proofs.some(({ kind }) => kind === "signed" || kind === "digest");
  const request = isOverBody ? await wholeRequest(given) : given;
  const first = authorize(request, proof, fresh());
  options.shown?.splice(0, options.shown.length, ...first.shown);
  const response = await ports.transport.send(first.request, how);
  const noted = (came: HttpResponse): HttpResponse => {
    for (const one of proofs)
      if (one.kind === "digest")
        one.sessions?.came(request.url, came.status, came.headers["authentication-info"]);
    return came;
  };
  const answer = answerChallenge(request, proof, response, fresh());
  if (!answer) return { response: noted(response), shown: first.shown };
  return { response: noted(await ports.transport.send(answer.request, how)), shown: answer.shown };
}

function locationOf(response: HttpResponse, base: string): string | undefined {
  const location = response.headers["location"];
  try {
    return typeof location === "string" ? new URL(location, base).href : undefined;
  } catch {
    return undefined;
  }
}

/** The response as the journal stores it. Bytes that are neither JSON nor text become a file value. */
async function recorded(
  ports: ExchangePorts,
  response: HttpResponse,
  url: string,
  as: BodyReading | undefined,
): Promise<RecordedResponse> {
  const answer = { status: response.status, headers: response.headers, url };
  if (response.broken) {
    const { code, message } = response.broken;
    return { ...answer, body: null, fault: message, broken: code };
  }
  const read = await ports.read(response, as);
  if (read.body !== undefined)
    return {
      ...answer,
      body: read.body,
      ...(read.text === undefined ? {} : { text: read.text }),
      ...(read.fault ? { fault: read.fault } : {}),
      ...(read.listed ? { listed: true } : {}),
      ...(read.more ? { more: true } : {}),
    };
  const { type } = mediaTypeOf(response.headers["content-type"]);
  const name = new URL(url).pathname.split("/").filter(Boolean).at(-1) ?? "answer";
  return {
    ...answer,
    body: await ports.files.keep(response.body, { name, mediaType: type || "application/octet-stream" }),
  };
}
