import { randomBytes } from "node:crypto";

const digits = "0123456789abcdefghjkmnpqrstvwxyz";
let last = 0;
/** Chance is fetched in large pieces: asking for it costs more than making it. */
let chance = Buffer.alloc(0);
let used = 0;

/** New ids come after one that was given out before this start, even where the clock was set back since. */
export function continueRunIds(newest: string): void {
  const time = [...newest.slice(0, 9)].reduce((sum, digit) => sum * 32 + digits.indexOf(digit), 0);
  if (Number.isSafeInteger(time) && time > last) last = time;
}

/** A new run id: text order is order in time. Nine digits of time and seven of chance, in Crockford's base 32. */
export function newRunId(): string {
  last = Math.max(last + 1, Date.now());
  let time = last;
  let text = "";
  for (let place = 0; place < 9; place++) {
    text = digits[time % 32] + text;
    time = Math.floor(time / 32);
  }
  if (used + 7 > chance.length) [chance, used] = [randomBytes(7 * 512), 0];
  for (const byte of chance.subarray(used, used + 7)) text += digits[byte & 31];
  used += 7;
  return text;
}

/** A new random text of 32 digits and letters, for authorizations. */
export function newNonce(): string {
  return randomBytes(16).toString("hex");
}
