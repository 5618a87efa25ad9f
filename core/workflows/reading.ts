import { readAgain } from "./read-again.js";
import { readWhole, type Reading } from "./read-whole.js";

export type { Reading };

/** The texts that were read last: one edit reads the text before and behind it several times. */
const recent: Reading[] = [];
const mostRecent = 2;

/** Reads a text (YAML 1.2 or JSON). Of one that is nearly that which was read last, only what changed is read. */
export function readingOf(text: string): Reading {
  const same = recent.find((one) => one.text === text);
  if (same) return same;
  let reading: Reading | undefined;
  for (const one of recent) reading ??= readAgain(one, text);
  reading ??= readWhole(text);
  recent.unshift(reading);
  recent.length = Math.min(recent.length, mostRecent);
  return reading;
}
