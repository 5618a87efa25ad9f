import { bodyOf, headerIn, mendedUrl, NotUnderstood, type PastedRequest } from "./request.js";

const requestLine = /^([!#$%&'*+\-.^_`|~0-9A-Za-z]+)[ \t]+(\S+)(?:[ \t]+HTTP\/[\d.]+)?[ \t]*$/;

/** Whether a text is a raw HTTP request: a request line with its version, or one with more lines behind it. */
export function looksLikeHttp(text: string): boolean {
  const [line = "", second] = text.split(/\r?\n/, 2);
  if (/^:(method|authority|path|scheme)\s*:/.test(line)) return true;
  if (!requestLine.test(line)) return false;
  return (
    / HTTP\/[\d.]+\s*$/.test(line) ||
    (second !== undefined && (/^[\w-]+\s*:/.test(second) || second.trim() === ""))
  );
}

/**
 * A raw HTTP request (RFC 9112), or the header fields of HTTP/2 (RFC 9113 section 8.3.1); its address from `Host` where
 * the target is a path.
 * @throws NotUnderstood
 */
export function readHttp(text: string): PastedRequest {
  const blank = /\r?\n[ \t]*\r?\n/.exec(text);
  const head = blank ? text.slice(0, blank.index) : text;
  const notes: string[] = [];
  const pseudo: Record<string, string> = {};
  const headers: [string, string][] = [];
  const lines = head.split(/\r?\n/);
  const [, method = "", target = ""] = requestLine.exec((lines[0] ?? "").trim()) ?? [];
  for (const line of method ? lines.slice(1) : lines) {
    const last = headers.at(-1);
    const field = /^(:?[^:\s]+)\s*:\s*(.*)$/.exec(line);
    // A line that begins with blanks goes on with the field before (obs-fold, section 5.2).
    if (/^[ \t]/.test(line) && last) last[1] = `${last[1]} ${line.trim()}`.trim();
    else if (field?.[1]?.startsWith(":")) pseudo[field[1].slice(1)] = (field[2] ?? "").trim();
    else if (field) headers.push([field[1] as string, (field[2] ?? "").trim()]);
    else if (line.trim() !== "") notes.push(`The line "${line.trim()}" is not a header, and was left out.`);
  }
  const host = pseudo["authority"] ?? headerIn(headers, "host");
  const path = target || (pseudo["path"] ?? "");
  const isWhole = /^https?:/i.test(path);
  if (!isWhole && !host)
    throw new NotUnderstood(
      'The request names only a path, and has no "Host" header that says where it goes.',
    );
  const isLocal = /^(localhost|127\.|\[::1\])/i.test(host ?? "");
  const scheme = pseudo["scheme"] ?? (isLocal ? "http" : "https");
  const isChunked = /chunked/i.test(headerIn(headers, "transfer-encoding") ?? "");
  const sent = blank ? text.slice(blank.index + blank[0].length) : "";
  const given = isChunked ? withoutChunks(sent) : sent.replace(/\s+$/, "");
  const body = given ? bodyOf(given, headerIn(headers, "content-type")) : undefined;
  const dropped =
    /^(host|content-length|connection|accept-encoding|transfer-encoding|keep-alive|te|sec-.*)$/i;
  const kept = headers.filter(
    ([name]) => !dropped.test(name) && !(body?.kind === "multipart" && /^content-type$/i.test(name)),
  );
  return {
    form: "HTTP request",
    method: (method || (pseudo["method"] ?? "GET")).toUpperCase(),
    url: mendedUrl(isWhole ? path : `${scheme}://${host}${path}`, notes),
    headers: kept,
    ...(body ? { body } : {}),
    notes,
  };
}

/** The text of a body in chunks (RFC 9112 section 7.1); as it is where it is not in chunks. */
function withoutChunks(text: string): string {
  let [rest, whole] = [text, ""];
  for (;;) {
    const size = /^([0-9a-fA-F]+)[^\r\n]*\r?\n/.exec(rest);
    if (!size) return whole === "" ? text.trim() : whole;
    const length = Number.parseInt(size[1] as string, 16);
    if (length === 0) return whole;
    const start = size[0].length;
    whole += rest.slice(start, start + length);
    rest = rest.slice(start + length).replace(/^\r?\n/, "");
  }
}
