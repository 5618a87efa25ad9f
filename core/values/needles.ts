/** Every needle has at least this many characters; a text is looked at through a window of as many. */
const head = 8;
/** How far the window moves where its last two characters stand in no needle. */
const farthest = head - 1;

/** A text that is like a needle for as many characters counts as it, as far as it is: what is cut off is found, too. */
const enough = 64;
/** More new needles than this are put in order together. */
const few = 16;

/**
 * Many texts to be found in other texts, in one pass over each, however many there are. The window moves by what its
 * last two characters allow (the algorithm of Wu and Manber, 1994); where it stops, those that begin so are narrowed
 * down in their order, a character at a time, so that no needle is compared by itself.
 */
export class Needles {
  /** By the first characters: the needles that begin so. */
  readonly #byHead = new Map<string, Ordered>();
  /** Made with the first needle: most runs have none. */
  #shifts: Uint8Array | undefined;

  /** @param needle of at least eight characters */
  add(needle: string): void {
    const key = needle.slice(0, head);
    let known = this.#byHead.get(key);
    if (!known) this.#byHead.set(key, (known = new Ordered()));
    known.add(needle);
    const shifts = (this.#shifts ??= new Uint8Array(65_536).fill(farthest));
    for (let at = 1; at < head; at++) {
      const pair = pairAt(needle, at);
      shifts[pair] = Math.min(shifts[pair] ?? farthest, farthest - at);
    }
  }

  clear(): void {
    this.#byHead.clear();
    this.#shifts = undefined;
  }

  /** The first needle in a text from a place on, the longest there; undefined if there is none. */
  next(text: string, from: number): { at: number; length: number } | undefined {
    const shifts = this.#shifts;
    if (!shifts) return undefined;
    const last = text.length - head;
    for (let at = from; at <= last;) {
      const shift = shifts[pairAt(text, at + farthest)] as number;
      if (shift > 0) {
        at += shift;
        continue;
      }
      const length = this.#byHead.get(text.slice(at, at + head))?.lengthAt(text, at);
      if (length) return { at, length };
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

/** Needles with the same head, in the order of their characters. */
class Ordered {
  readonly #all = new Set<string>();
  #sorted: string[] = [];
  #fresh: string[] = [];

  add(needle: string): void {
    if (this.#all.has(needle)) return;
    this.#all.add(needle);
    this.#fresh.push(needle);
  }

  /** How far a text is one of the needles, from a place where their head stands; 0 where it is none. */
  lengthAt(text: string, at: number): number {
    this.#order();
    const sorted = this.#sorted;
    let [low, high, depth, whole] = [0, sorted.length, head, 0];
    // Those between low and high are like the text up to the depth.
    for (; ; depth++) {
      if ((sorted[low] as string).length === depth) {
        whole = depth;
        if (++low === high) break;
      }
      const code = text.charCodeAt(at + depth); // NaN behind the end, which is like none
      low = firstFrom(sorted, low, high, (needle) => needle.charCodeAt(depth) >= code);
      high = firstFrom(sorted, low, high, (needle) => needle.charCodeAt(depth) > code);
      if (low === high || Number.isNaN(code)) break;
    }
    return depth >= enough ? depth : whole;
  }

  #order(): void {
    if (this.#fresh.length === 0) return;
    if (this.#fresh.length > few) this.#sorted = [...this.#sorted, ...this.#fresh].sort();
    else
      for (const needle of this.#fresh)
        this.#sorted.splice(
          firstFrom(this.#sorted, 0, this.#sorted.length, (one) => one > needle),
          0,
          needle,
        );
    this.#fresh = [];
  }
}

/** The first place from `low` on, below `high`, where something holds that holds from there on; `high` where it does not. */
function firstFrom(
  sorted: readonly string[],
  low: number,
  high: number,
  holds: (needle: string) => boolean,
): number {
  while (low < high) {
    const middle = (low + high) >>> 1;
    if (holds(sorted[middle] as string)) high = middle;
    else low = middle + 1;
  }
  return low;
}
