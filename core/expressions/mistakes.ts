/** A frequent slip, found in a text that does not parse: what was probably meant, and where. */
export interface Mistake {
  message: string;
  start: number;
  end: number;
}

const slips: { pattern: RegExp; message: (match: RegExpExecArray) => string }[] = [
  {
    pattern: /[“”„‟]/,
    message: () => 'Curly quotes, as a word processor makes them; write straight ones: "text".',
  },
  {
    pattern: /[‘’‚]/,
    message: () => "Curly quotes, as a word processor makes them; write straight ones: 'text'.",
  },
  {
    pattern: /^\s*\$\.?(?=[A-Za-z[])/,
    message: () => "A path starts with a name here, not with $. Leave out the $.",
  },
  { pattern: /(?<![=!<>])=(?!=)/, message: () => "One = compares nothing; write == to compare." },
  { pattern: /===|!==/, message: (match) => `Write ${match[0].slice(0, 2)}, with two signs.` },
  { pattern: /\band\b/i, message: () => "Write && for and." },
  { pattern: /\bor\b/i, message: () => "Write || for or." },
  { pattern: /\bnot\b/i, message: () => "Write ! for not." },
  { pattern: /<>/, message: () => "Write != for not equal." },
  { pattern: /\$\{/, message: () => "This field is an expression already; leave out ${ and }." },
  { pattern: /\?\?/, message: () => "Write default(a, b) for: a, or b where a is absent or null." },
  { pattern: /\}\s*$/, message: () => "A } too many." },
];

/** Looks for a frequent slip outside of quoted texts; the parser's own message is given where none is found. */
export function explainMistake(text: string): Mistake | undefined {
  const bare = text.replace(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/g, (quoted) => " ".repeat(quoted.length));
  for (const { pattern, message } of slips) {
    const match = pattern.exec(bare);
    if (match) return { message: message(match), start: match.index, end: match.index + match[0].length };
  }
  return undefined;
}
