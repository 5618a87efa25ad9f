/** A time in milliseconds since 1970 as RFC 3339 text. */
export function iso(millis: number): string {
  return new Date(millis).toISOString();
}

export const isoOrNull = (millis: number | null | undefined): string | null =>
  typeof millis === "number" ? iso(millis) : null;
