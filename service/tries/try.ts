import type { TryResult } from "@copper-kettle/contract";
import {
  responseMismatches,
  cookiesOf,
  exchange,
  isRefusal,
  explainAnswer,
  explainRefusal,
  isKeyName,
  leafTexts,
  maskPlaces,
  jsonOrText,
  MaskSet,
  recordLink,
  secretFormValues,
  secretPlaces,
  TransportFailure,
  valueAt,
  type CredentialUse,
  type Exchanged,
  type JsonObject,
  type Proof,
  type Transport,
  type Principal,
} from "@copper-kettle/core";
import type { CredentialUses } from "../credentials/use.js";
import type { AsideReader } from "../outbound/aside.js";
import { newNonce } from "../runs/ids.js";
import type { ApiStore } from "../store/apis.js";
import type { CredentialStore } from "../store/credentials.js";
import type { DriftStore } from "../store/drift.js";
import type { TokenStore } from "../store/tokens.js";
import type { Prepared } from "./prepare.js";
import { sentResult, typedSecrets, type Masks } from "./show.js";

export interface TryParts {
  apis: ApiStore;
  drift: DriftStore;
  credentials: CredentialStore;
  tokens: TokenStore;
  uses: CredentialUses;
  transport: Transport;
  reader: AsideReader;
}

const timeout = { connect: 10_000, response: 60_000 };
/** A larger response in bytes is only described. */
const mostShownBytes = 1_000_000;

/** What hides the secrets of a try: all that the service keeps, what was typed or pasted, and what the response brought. */
export interface TryMasks extends Masks {
  /** Takes in what turned out to be secret. */
  add(secrets: string[]): void;
}

export function masksOf(
  { credentials }: Pick<TryParts, "credentials">,
  { secrets, built }: Prepared,
): TryMasks {
  const own = new MaskSet();
  own.add(secrets);
  own.add(typedSecrets(built));
  return {
    add: (secrets) => void own.add(secrets),
    text: (text) => own.text(credentials.masks.text(text)),
    json: (value) => own.json(credentials.masks.json(value)),
  };
}

/** Sends it, as a run would: with its credential, redirects followed for what reads. */
export async function tryNow(
  parts: TryParts,
  prepared: Prepared,
  by: Principal,
  masks: TryMasks,
): Promise<Omit<TryResult, "id">> {
  const { request, effect } = prepared;
  let size: number | null = null;
  const ports = {
    clock: { now: () => Date.now(), wait: () => Promise.resolve() },
    nonce: newNonce,
    read: parts.reader.read,
    transport: {
      send: async (...sending: Parameters<Transport["send"]>) => {
        const response = await parts.transport.send(...sending);
        size = response.body.length;
        return response;
      },
    },
    files: {
      keep: async (bytes: Uint8Array, about: { mediaType: string }) => bytesView(bytes, about.mediaType),
    },
  };
  const options = {
    timeout,
    signal: new AbortController().signal,
    follow: effect === "reads" ? ("all" as const) : ("see-other" as const),
    secrets: {
      header: (name: string) => isKeyName(name),
      body: typeof request.body === "string" && typedSecrets({ ...prepared.built, headers: [] }).length > 0,
    },
  };
  const began = Date.now();
  try {
    let use = await useOf(parts, prepared, by);
    let done = await exchange(ports, request, use?.proof, options);
    if (done.response && use && isRefusal(use, done.response) && (await use.refused())) {
      use = await useOf(parts, prepared, by);
      done = await exchange(ports, request, use?.proof, options);
    }
    if (done.response && done.response.status < 400) use?.accepted();
    return answeredResult(parts, prepared, done, { took: Date.now() - began, size, masks });
  } catch (error) {
    if (!(error instanceof TransportFailure)) throw error;
    const { kind, message, detail } = error;
    return {
      ...sentResult(prepared, [], Date.now() - began, masks),
      failure: { kind, message: masks.text(message), ...(detail ? { detail: masks.text(detail) } : {}) },
      explanation: failureHints[kind] ?? null,
    };
  }
}

async function useOf(
  { uses }: TryParts,
  { using, secret, request }: Prepared,
  by: Principal,
): Promise<CredentialUse | undefined> {
  if (using !== undefined) return uses.read(using, request.url, { by, as: by });
  const proof: Proof | undefined = secret;
  return proof && { proof, refused: async () => false, accepted: () => undefined };
}

const failureHints: Partial<Record<TransportFailure["kind"], string>> = {
  dns: "The name is unknown. Is it spelled correctly, and can this machine look it up?",
  connect: "Nothing accepts connections there. Is the port right, and is the service running?",
  tls: "The secure connection failed. Is the server's certificate valid, or does it speak plain http?",
  timeout: "The API was too slow. Try later, or give the call more time (timeout).",
  cut: "The connection closed before the full response arrived; a writing call may or may not have arrived.",
};

function answeredResult(
  parts: TryParts,
  prepared: Prepared,
  done: Exchanged,
  { took, size, masks }: { took: number; size: number | null; masks: TryMasks },
): Omit<TryResult, "id"> {
  const response = done.response as NonNullable<Exchanged["response"]>;
  const { described } = prepared;
  const { body, text } = response;
  masks.add(secretPlaces(body).flatMap((place) => leafTexts(valueAt(body, place) ?? null)));
  for (const one of [body, text]) if (typeof one === "string") masks.add(secretFormValues(one));
  const explanation = explained(parts, prepared, done, response);
  return {
    ...sentResult(prepared, done.authorization, took, masks),
    status: response.status,
    url: masks.text(response.url),
    headers: masks.json(response.headers as JsonObject) as JsonObject,
    cookies: masks.json(cookiesOf(response.headers["set-cookie"])) as JsonObject,
    body: masks.json(maskPlaces(body, secretPlaces(body))),
    text: text === undefined ? null : masks.text(text),
    size,
    redirects: done.redirects.map((url) => masks.text(url)),
    explanation: explanation === null ? null : masks.text(explanation),
    link: linkOf(prepared, response, masks),
    drift: described ? responseMismatches(described.open.document, described.operation, response) : [],
  };
}

/** Where a person finds the record; with a secret in it there is none. */
function linkOf(
  { described, built }: Prepared,
  { status, headers, body }: NonNullable<Exchanged["response"]>,
  masks: TryMasks,
): string | null {
  if (!described) return null;
  const sent = typeof built.body === "string" ? jsonOrText(built.body) : null;
  const request = { method: built.method, url: built.url, body: sent };
  const response = { status, headers: headers as JsonObject, body };
  const link = recordLink(described.operation, { request, response });
  return link === undefined || masks.text(link) !== link ? null : link;
}

function explained(
  { credentials, tokens }: TryParts,
  { using, secret, request }: Prepared,
  { authorization }: Exchanged,
  response: NonNullable<Exchanged["response"]>,
): string | null {
  const credential = using === undefined ? secret : credentials.get(using)?.credential;
  if (response.status === 401 && !credential)
    return "The API needs to know who is calling. Choose a credential.";
  if (!credential || (response.status !== 401 && response.status !== 403))
    return explainAnswer(response, request);
  const token = using ? tokens.current(using) : undefined;
  return explainRefusal(credential, response, Date.now(), authorization as never, token).sentence;
}

function bytesView(bytes: Uint8Array, mediaType: string): JsonObject {
  const view: JsonObject = { mediaType, size: bytes.length };
  if (bytes.length <= mostShownBytes) view["base64"] = Buffer.from(bytes).toString("base64");
  return view;
}
