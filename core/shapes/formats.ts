/** The formats that are noticed in texts (JSON Schema 2020-12, validation, section 7.3). */
export const noticedFormats = ["date-time", "date", "email", "uri", "uuid"] as const;
export type NoticedFormat = (typeof noticedFormats)[number];

const date = /^(\d{4})-(\d\d)-(\d\d)$/;
const dateTime =
  /^(\d{4}-\d\d-\d\d)[Tt]([01]\d|2[0-3]):[0-5]\d:[0-5]\d(\.\d+)?([Zz]|[+-]([01]\d|2[0-3]):[0-5]\d)$/;
const email = /^[A-Za-z0-9_+-]+(\.[A-Za-z0-9_+-]+)*@([A-Za-z0-9]([A-Za-z0-9-]*[A-Za-z0-9])?\.)+[A-Za-z]{2,}$/;
const uri =
  /^https?:\/\/[A-Za-z0-9]([A-Za-z0-9.-]*[A-Za-z0-9])?(:\d{1,5})?([/?]([A-Za-z0-9._~!$&'()*+,;=:@/?-]|%[0-9A-Fa-f]{2})*)?(#([A-Za-z0-9._~!$&'()*+,;=:@/?-]|%[0-9A-Fa-f]{2})*)?$/;
const uuid = /^[0-9a-fA-F]{8}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{4}-[0-9a-fA-F]{12}$/;
const longestNoticed = 2_000;

/** Which format a text is in: RFC 3339 for times, RFC 5321 for addresses, http(s) URLs of RFC 3986, RFC 9562. */
export function formatOf(text: string): NoticedFormat | undefined {
  if (text.length < 6 || text.length > longestNoticed) return undefined;
  const first = text.charCodeAt(0);
  if (first >= 48 && first <= 57 && text[4] === "-") {
    if (text.length === 10) return isDate(text) ? "date" : undefined;
    const match = dateTime.exec(text);
    return match && isDate(match[1] as string) ? "date-time" : undefined;
  }
  if (text.length === 36 && text[8] === "-" && uuid.test(text)) return "uuid";
  if (text.startsWith("http")) return uri.test(text) ? "uri" : undefined;
  return text.length <= 254 && text.includes("@") && email.test(text) ? "email" : undefined;
}

function isDate(text: string): boolean {
  const match = date.exec(text);
  if (!match) return false;
  const [, year, month, day] = match.map(Number);
  const made = new Date(Date.UTC(year as number, (month as number) - 1, day));
  return made.getUTCMonth() + 1 === month && made.getUTCDate() === day;
}
