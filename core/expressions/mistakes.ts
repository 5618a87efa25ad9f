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
  {
    pattern: /\bif\b[^?]*(\bthen\b|\()|\bcase\s+when\b/i,
    message: () => "Write condition ? one : another, for: one if the condition holds, else another.",
  },
  {
    pattern: /\bselect\b.*\bfrom\b/i,
    message: () =>
      "Write list.filter(item, …).map(item, item.key), for: some fields of some items of a list.",
  },
  {
    pattern: /=>|->/,
    message: () => "A function over items is written without an arrow: list.map(item, item.key).",
  },
  { pattern: /=~|!~|(?<=\w\s*)~(?=\s*["' ])/, message: () => "Write text.matches(pattern)." },
  { pattern: /===|!==/, message: (match) => `Write ${match[0].slice(0, 2)}, with two signs.` },
  { pattern: /\+\+|--(?=\s*$)/, message: () => "Nothing changes a value here; write value + 1." },
  { pattern: /\*\*|\^/, message: () => "There is no sign for powers; write a * a." },
  { pattern: /(?<![=!<>])=(?!=)/, message: () => "One = compares nothing; write == to compare." },
  { pattern: /\bis\s+not\s+null\b/i, message: () => "Write value != null." },
  { pattern: /\bis\s+(null|none|nil|empty)\b/i, message: () => "Write value == null." },
  { pattern: /\bnot\s+in\b/i, message: () => "Write !(value in list)." },
  { pattern: /\bbetween\b/i, message: () => "Write value >= 1 && value <= 3." },
  {
    pattern: /\bi?like\b/i,
    message: () => "Write text.startsWith(…), text.contains(…) or text.matches(pattern).",
  },
  { pattern: /\btypeof\b/, message: () => "Write type(value)." },
  {
    pattern: /\bnew\s+Date\b/,
    message: () => "Write now(), or timestamp(text) for the time that a text says.",
  },
  { pattern: /(?<!&)&(?!&)/, message: () => "Write + to join texts, && for and." },
  { pattern: /(?<!\|)\|(?!\|)/, message: () => "A pipe is none here; write function(value), or || for or." },
  { pattern: /\band\b/i, message: () => "Write && for and." },
  { pattern: /\bor\b/i, message: () => "Write || for or." },
  { pattern: /\bnot\b/i, message: () => "Write ! for not." },
  { pattern: /<>/, message: () => "Write != for not equal." },
  {
    pattern: /(?<![.?])\?(?![?.[])[^:]*$/,
    message: () => "A ? wants a : and what to give otherwise, such as : null.",
  },
  { pattern: /@\w/, message: () => "A path starts with a name here, not with @. Leave out the @." },
  { pattern: /(^|[(,=])\s*\/[^/]+\//, message: () => 'A pattern is a text: text.matches("[0-9]+").' },
  {
    pattern: /\{\{/,
    message: () => "Leave out {{ and }}: in a text write ${path}, in an expression the path alone.",
  },
  {
    pattern: /\?\./,
    message: () => "Write a.?b, with the dot first, and .orValue(…) behind it; or default(a.b, …).",
  },
  { pattern: /\[\s*\*?\s*\]|\.\*/, message: () => "Write list.map(item, item.key), for a key of all items." },
  { pattern: /\.\.\./, message: () => "Write one + another for lists, merge(one, another) for objects." },
  { pattern: /`/, message: () => 'Texts stand in "quotes"; join them by +.' },
  { pattern: /\$\{/, message: () => "This field is an expression already; leave out ${ and }." },
  { pattern: /\?\?/, message: () => "Write default(a, b) for: a, or b where a is absent or null." },
  { pattern: /\d,\d/, message: () => "A number has a point, and no commas: 1.5, 1000." },
  { pattern: /\d\s*%(?=\s*$)/, message: () => "There are no per cent; write number / 100." },
  { pattern: /\d_\d/, message: () => "A number is written without _ between its digits." },
  { pattern: /\}\s*$/, message: () => "A } too many." },
];

/** Slips are looked for in texts of this length: the patterns look ahead, and nobody slips in a longer one like this. */
const longest = 1_000;

/** Looks for a frequent slip outside of quoted texts; the parser's own message is given where none is found. */
export function explainMistake(text: string): Mistake | undefined {
  if (text.length > longest) return undefined;
  const beside = /"(?:[^"\\]|\\.)*"\s*\.?\s*"/.exec(text);
  if (beside && !/[“”„‟]/.test(text))
    return {
      message: "Two texts stand side by side; put a comma between them, or join them by +.",
      start: beside.index,
      end: beside.index + beside[0].length,
    };
  const bare = text.replace(/"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'/g, (quoted) => " ".repeat(quoted.length));
  for (const { pattern, message } of slips) {
    const match = pattern.exec(bare);
    if (match) return { message: message(match), start: match.index, end: match.index + match[0].length };
  }
  return undefined;
}
