/** Every needle has at least this many characters; a text is looked at through a window of as many. */
const head = 8;
/** How far the window moves where its last two characters stand in no needle. */
const farthest = head - 1;

/**
 * Many texts to be found in other texts, in one pass over each, however many there are. The window moves by what its
 * last two characters allow (the algorithm of Wu and Manber, 1994).
 */
export class Needles {
  /** By the first characters: the needles that begin so, and their lengths, the largest first. */
  readonly #byHead = new Map<string, { needles: Set<string>; lengths: number[] }>();
  readonly #shifts = new Uint8Array(65_536).fill(farthest);

  /** @param needle of at least eight characters */
  add(needle: string): void {
    const key = needle.slice(0, head);
    let known = this.#byHead.get(key);
    if (!known) this.#byHead.set(key, (known = { needles: new Set(), lengths: [] }));
    known.needles.add(needle);
    if (!known.lengths.includes(needle.length))
      known.lengths = [...known.lengths, needle.length].sort((a, b) => b - a);
    for (let at = 1; at < head; at++) {
      const pair = pairAt(needle, at);
      this.#shifts[pair] = Math.min(this.#shifts[pair] ?? farthest, farthest - at);
    }
  }

  clear(): void {
    this.#byHead.clear();
    this.#shifts.fill(farthest);
  }

  /** The first needle in a text from a place on, and where it stands; undefined where there is none. */
  next(text: string, from: number): { at: number; length: number } | undefined {
    const shifts = this.#shifts;
    const last = text.length - head;
    for (let at = from; at <= last;) {
      const shift = shifts[pairAt(text, at + farthest)] as number;
      if (shift > 0) {
        at += shift;
        continue;
      }
      const known = this.#byHead.get(text.slice(at, at + head));
      const length = known?.lengths.find((one) => known.needles.has(text.slice(at, at + one)));
      if (length !== undefined) return { at, length };
      at++;
    }
    return undefined;
  }

  /** A text with something else in the place of each needle. */
  replace(text: string, instead: string): string {
    let found = this.next(text, 0);
    if (!found) return text;
    let made = "";
    let from = 0;
    for (; found; found = this.next(text, from)) {
      made += text.slice(from, found.at) + instead;
      from = found.at + found.length;
    }
    return made + text.slice(from);
  }
}

/** One number for the character at a place and the one before it. */
function pairAt(text: string, at: number): number {
  return (text.charCodeAt(at - 1) * 251 + text.charCodeAt(at)) & 0xffff;
}
