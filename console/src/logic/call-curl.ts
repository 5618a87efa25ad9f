import { printCurl, type RecordedRequest } from "@copper-kettle/core";

/** A part of what proves who calls: only its name goes into a command. */
interface Proof {
  place: string;
  name: string;
}
const secret = "$SECRET";

/** A recorded call as a `curl` command, with a word in the place of each secret. A body that is no text is left out. */
export function curlOf({ method, url, headers, body }: RecordedRequest, proofs: readonly Proof[]): string {
  const inUrl = proofs
    .filter(({ place }) => place === "query")
    .map(({ name }) => `${encodeURIComponent(name)}=${secret}`);
  const inHeaders = proofs
    .filter(({ place }) => place === "header")
    .map(({ name }): [string, string] => [name, secret]);
  return printCurl({
    method,
    url: inUrl.length === 0 ? url : `${url}${url.includes("?") ? "&" : "?"}${inUrl.join("&")}`,
    headers: [...headers, ...inHeaders],
    ...(typeof body === "string" ? { body } : {}),
  });
}
