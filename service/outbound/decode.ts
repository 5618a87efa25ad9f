import { RequestRefused, type ResponseHeaders } from "@copper-kettle/core";
import { promisify } from "node:util";
import { brotliDecompress, gunzip, inflate, inflateRaw, type InputType } from "node:zlib";

/** The codings that are asked for (RFC 9110 section 8.4.1). */
export const acceptedEncodings = "gzip, deflate, br";

type Decoder = (bytes: InputType, options: { maxOutputLength: number }) => Promise<Buffer>;

const decoders: Record<string, Decoder> = {
  gzip: promisify(gunzip),
  "x-gzip": promisify(gunzip),
  br: promisify(brotliDecompress),
  // Some senders leave out the zlib header.
  deflate: async (bytes, options) => {
    try {
      return await promisify(inflate)(bytes, options);
    } catch (error) {
      if (tooLarge(error)) throw error;
      return promisify(inflateRaw)(bytes, options);
    }
  },
};

/** A body says a coding that it is not in. */
export class CodingFault extends Error {
  override name = "CodingFault";
}

/**
 * Takes the content codings off a body, the last one first. One that is not known stays on.
 * @param most the most bytes that may come out
 * @throws RequestRefused (`response-too-large`); CodingFault where the body is not in the coding that it says
 */
export async function decodeBody(
  body: Uint8Array,
  headers: ResponseHeaders,
  { host, most }: { host: string; most: number },
): Promise<Uint8Array> {
  const codings = String(headers["content-encoding"] ?? "")
    .toLowerCase()
    .split(",")
    .map((coding) => coding.trim())
    .filter((coding) => coding !== "" && coding !== "identity");
  let decoded = body;
  for (const coding of codings.reverse()) {
    const decode = decoders[coding];
    if (!decode || decoded.length === 0) return decoded;
    try {
      decoded = await decode(decoded, { maxOutputLength: most });
    } catch (error) {
      if (tooLarge(error)) throw responseTooLarge(host, most);
      throw new CodingFault(`The response of ${host} says that it is in ${coding}, but cannot be unpacked.`);
    }
  }
  return decoded;
}

export function responseTooLarge(host: string, most: number): RequestRefused {
  return new RequestRefused(
    "response-too-large",
    `The response of ${host} is larger than ${most} bytes, the most that is allowed.`,
  );
}

function tooLarge(error: unknown): boolean {
  return (error as NodeJS.ErrnoException).code === "ERR_BUFFER_TOO_LARGE";
}
