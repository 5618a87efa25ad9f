/** A secret as it was meant, and what was taken off. */
export interface CleanSecret {
  secret: string;
  /** What was taken off, in plain words; empty if nothing was. */
  removed: string[];
}

const invisible = /[\u200B-\u200D\u2060\uFEFF]/g;
const quotes = /^(["'`“‘])([\s\S]*)(["'`”’])$/;

/**
 * Cleans a secret that a person pasted: outer white space and line ends, quotes around it, invisible characters,
 * and the prefix that is saved apart from it (`Bearer abc` where the prefix is `Bearer `).
 */
export function cleanSecret(pasted: string, prefix: string): CleanSecret {
  const removed: string[] = [];
  let secret = pasted;
  const take = (next: string, what: string) => {
    if (next !== secret) removed.push(what);
    secret = next;
  };
  take(secret.replace(/^[\r\n]+|[\r\n]+$/g, ""), "line ends");
  take(secret.replace(invisible, ""), "invisible characters");
  take(secret.trim(), "outer spaces");
  const quoted = quotes.exec(secret);
  if (quoted) take((quoted[2] as string).trim(), "quotes");
  const word = prefix.trim();
  const header = /^authorization\s*:\s*/i;
  if (header.test(secret)) take(secret.replace(header, ""), 'the name "Authorization:"');
  if (word !== "" && secret.toLowerCase().startsWith(`${word.toLowerCase()} `)) {
    take(secret.slice(word.length).trim(), `the prefix "${word}"`);
  }
  return { secret, removed };
}

/** Why a text cannot be a secret that goes into a header, or undefined if it can. */
export function secretFault(secret: string): string | undefined {
  if (secret === "") return "The secret is empty.";
  for (const character of secret) {
    const code = character.codePointAt(0) as number;
    if (code < 32 || code === 127)
      return "The secret contains a line end or another control character in the middle. It was probably copied in two pieces.";
    if (code > 255)
      return `The secret contains "${character}", which a header cannot carry. It was probably copied from a formatted text.`;
  }
  return undefined;
}
