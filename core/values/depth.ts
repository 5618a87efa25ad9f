/**
 * Whether a JSON text nests deeper than `most`: found before it is read, in one pass, so that no reader recurses that
 * far. Brackets in strings do not count.
 */
export function nestsDeeper(text: string, most: number): boolean {
  if (text.length <= 2 * most) return false;
  let depth = 0;
  for (let at = 0; at < text.length; at++) {
    switch (text.charCodeAt(at)) {
      case 0x22: // "
        at = closingQuote(text, at);
        break;
      case 0x5b: // [
      case 0x7b: // {
        if (++depth > most) return true;
        break;
      case 0x5d: // ]
      case 0x7d: // }
        depth--;
    }
  }
  return false;
}

/** The place of the quote that ends a string; the end of the text where none does. */
function closingQuote(text: string, from: number): number {
  for (let at = from + 1; ; at++) {
    at = text.indexOf('"', at);
    if (at < 0) return text.length;
    let slashes = 0;
    while (text.charCodeAt(at - 1 - slashes) === 0x5c) slashes++;
    if (slashes % 2 === 0) return at;
  }
}
