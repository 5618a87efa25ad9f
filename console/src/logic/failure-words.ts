import { explainAnswer, type RecordedRequest } from "@copper-kettle/core";
import type { Row } from "./waterfall.js";

type Attempt = Row["attempts"][number];

/** What it most likely means that no response came, and what to do. */
const kinds: Partial<Record<NonNullable<Attempt["failure"]>["kind"], string>> = {
  connect:
    "Nothing listens at this address, or nothing lets the call through. Is the server up, and are host and port right? A proxy is set under Settings, Network.",
  dns: "There is no server of this name, as far as this machine can see. Is the host spelled right?",
  timeout:
    "The server takes longer than the step waits. Let the step wait longer (timeout: { response: 2m }), or run it again later. If the call writes, look first whether it was carried out.",
  cut: "The server, or something before it, closed the connection. If the call writes, look first whether it was carried out; then run it again.",
};

/** The codes of failures whose reason is the response. */
const ofResponse: ReadonlySet<string> = new Set(["response", "bad-response", "told-to-wait"]);

/**
 * What the failure of a call most likely means, and what to do about it: by its last attempt. Undefined where the message
 * of the failure says all there is.
 */
export function failureWords({ attempts, begun, ended }: Row): string | undefined {
  const attempt = attempts.at(-1);
  const request = begun?.data["request"] as unknown as RecordedRequest | undefined;
  if (!attempt || !request || attempt.pretended) return undefined;
  const code = ended?.error?.code;
  if (attempt.failure) return code === attempt.failure.kind ? kinds[code] : undefined;
  const { response } = attempt;
  // What failed behind a response that was taken is told by its message alone.
  if (!response || !ofResponse.has(code ?? "")) return undefined;
  const using = begun?.data["using"];
  const credential = typeof using === "string" ? `the credential ${using}` : undefined;
  if (response.status === 401)
    return credential
      ? `The API does not accept ${credential}: its secret may be wrong, replaced or expired. Check it on its page.`
      : "The API wants to know who calls, and the step names no credential. Name one under using.";
  if (response.status === 403)
    return `The API knows who calls, and does not allow this.${credential ? ` Perhaps ${credential} lacks a right or a scope for it.` : ""}`;
  return explainAnswer(response, request) ?? undefined;
}
