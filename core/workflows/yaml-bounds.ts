import { Composer, Lexer, Parser, type CST, type Document } from "yaml";
import { bounds } from "../values/bounds.js";

/** A YAML text goes beyond a bound; it is not read any further. `message` says which. */
export class YamlBeyondBounds extends Error {
  override name = "YamlBeyondBounds";
  constructor(
    readonly what: "depth" | "size" | "faults",
    message: string,
    /** Where in the text the bound is passed. */
    readonly offset: number,
  ) {
    super(message);
  }
}

/** How far a YAML text is read. */
export interface YamlBounds {
  depth: number;
  /** Words and signs of the text: a value takes about three. */
  tokens: number;
}

const tokensOfValue = 3;

/** The bounds of a text that holds a number of values. */
export function yamlBounds(values: number): YamlBounds {
  return { depth: bounds.fileDepth, tokens: values * tokensOfValue };
}

/**
 * Reads YAML 1.2 after looking how large and how deep its text is: its tokens come without recursion, what is made of
 * them does not. Keys are not compared with each other, which takes time with the square of their number.
 * @throws YamlBeyondBounds
 */
export function readYaml(text: string, most: YamlBounds): { document: Document; tokens: number } {
  const parser = new Parser();
  const tokens: CST.Token[] = [];
  let [count, faults] = [0, 0];
  const take = (token: CST.Token): void => {
    if (token.type === "error" && ++faults > bounds.fileProblems) throw tooManyFaults(token.offset);
    requireShallow(token, most.depth);
    tokens.push(token);
  };
  let offset = 0;
  for (const lexeme of new Lexer().lex(text)) {
    if (++count > most.tokens)
      throw new YamlBeyondBounds("size", `It holds more than ${most.tokens} words and signs.`, offset);
    offset += lexeme.length;
    for (const token of parser.next(lexeme)) take(token);
  }
  for (const token of parser.end()) take(token);
  const composer = new Composer({ version: "1.2", uniqueKeys: false, keepSourceTokens: false });
  const [document] = [...composer.compose(tokens, true, text.length)];
  return { document: document as unknown as Document, tokens: count };
}

function tooManyFaults(offset: number): YamlBeyondBounds {
  return new YamlBeyondBounds("faults", `It has more than ${bounds.fileProblems} faults.`, offset);
}

type Inner = CST.Token | null | undefined;

/** Looks how deep a token nests, and counts what is surely wrong in it: nothing between two commas. */
function requireShallow(root: CST.Token, most: number): void {
  const open: { token: Inner; depth: number }[] = [{ token: root, depth: 0 }];
  let empty = 0;
  for (let next = open.pop(); next; next = open.pop()) {
    const { token, depth } = next;
    if (!token) continue;
    const offset = "offset" in token ? token.offset : 0;
    if (depth > most) throw new YamlBeyondBounds("depth", `It is nested more than ${most} deep.`, offset);
    if (token.type === "document") open.push({ token: token.value, depth });
    else if ("items" in token)
      for (const { key, value } of token.items) {
        if (token.type === "flow-collection" && !key && !value && ++empty > bounds.fileProblems)
          throw tooManyFaults(offset);
        open.push({ token: key, depth: depth + 1 }, { token: value, depth: depth + 1 });
      }
  }
}
