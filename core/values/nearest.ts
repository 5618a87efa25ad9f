import { distance } from "fastest-levenshtein";

/** Nobody means a word that is longer than this; comparing takes time with the product of both lengths. */
const longestWord = 100;

/** A shorter word has neighbours that are words of their own. */
const shortestSlip = 5;

/**
 * The candidate of which a word can only be a slip of the hand: the same but for case and marks, or for one letter, or for two that
 * changed places. Where a word may well be right, `nearest` finds too much.
 */
export function misspelt(word: string, candidates: Iterable<string>): string | undefined {
  const bare = plain(word);
  if (word.length > longestWord) return undefined;
  for (const candidate of candidates) {
    const other = plain(candidate);
    if (candidate === word || candidate.length > longestWord) continue;
    if (other === bare) return candidate;
    if (Math.max(bare.length, other.length) < shortestSlip) continue;
    if (distance(bare, other) === 1 || (sorted(bare) === sorted(other) && distance(bare, other) === 2))
      return candidate;
  }
  return undefined;
}

const plain = (word: string): string => word.toLowerCase().replace(/[-_ ]/g, "");
const sorted = (word: string): string => [...word].sort().join("");

/** The candidate most like a word, when it is near enough to be a slip of the hand; else undefined. */
export function nearest(word: string, candidates: Iterable<string>): string | undefined {
  if (word.length > longestWord) return undefined;
  let best: string | undefined;
  let bestDistance = (word.length <= 3 ? 1 : word.length <= 7 ? 2 : 3) + 1;
  for (const candidate of candidates) {
    if (candidate.length > longestWord) continue;
    const apart = distance(word.toLowerCase(), candidate.toLowerCase());
    if (apart < bestDistance && candidate !== word) {
      best = candidate;
      bestDistance = apart;
    }
  }
  return best;
}
