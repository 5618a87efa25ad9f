import { distance } from "fastest-levenshtein";

/** Nobody means a word that is longer than this; comparing takes time with the product of both lengths. */
const longestWord = 100;

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
