/**
 * The part of a path that is `.` or `..`, also percent-encoded: it would lead to another place (RFC 3986 section 5.2.4).
 * Undefined if there is none.
 */
export function dotSegment(url: string): string | undefined {
  const path = url.replace(/[?#].*$/s, "");
  return path.split(/[/\\]/).find((part) => /^(\.|%2e){1,2}$/i.test(part));
}
