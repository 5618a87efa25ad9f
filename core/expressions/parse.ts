import { ExpressionError } from "./errors.js";
import { explainMistake } from "./mistakes.js";
import { tokensOf, type Token } from "./tokens.js";

/** A node of a CEL syntax tree. `start` and `end` are offsets in the expression's text. */
export type Node = { start: number; end: number } & (
  | { op: "literal"; value: null | boolean | number | bigint | string | Uint8Array }
  /** `root` is set by a dot in front: the name is then no loop variable. */
  | { op: "name"; name: string; root?: boolean }
  | { op: "field"; object: Node; key: string; optional: boolean }
  | { op: "index"; object: Node; index: Node; optional: boolean }
  | { op: "call"; name: string; receiver: Node | undefined; args: Node[] }
  | { op: "list"; items: ListItem[] }
  | { op: "map"; entries: MapEntry[] }
  | { op: "choice"; condition: Node; then: Node; otherwise: Node }
  | { op: "or" | "and"; left: Node; right: Node }
  | { op: "not" | "negate"; operand: Node }
  | { op: "binary"; sign: BinarySign; left: Node; right: Node }
);

/** An item of a list; an optional one (`?x`) is left out where its value is empty. */
export interface ListItem {
  value: Node;
  optional: boolean;
}
export interface MapEntry {
  key: Node;
  value: Node;
  optional: boolean;
}

export type BinarySign = "!=" | "==" | "in" | "+" | "-" | "*" | "/" | "%" | "<" | "<=" | ">" | ">=";

/** Limits on a source text: longer, deeper or larger ones are refused when they are compiled. */
export const sourceLimits = { length: 20_000, nesting: 100, chain: 600, nodes: 20_000, arguments: 64 };

/**
 * Parses one CEL expression (Common Expression Language, language definition, section Syntax), with optional fields,
 * items and entries, and names in back quotes.
 * @throws ExpressionError with code `syntax` or `too-large`
 */
export function parseExpression(text: string): Node {
  if (text.length > sourceLimits.length)
    throw new ExpressionError(
      "too-large",
      `An expression may be ${sourceLimits.length} characters long; this one has ${text.length}.`,
      0,
      text.length,
    );
  if (text.trim() === "")
    throw new ExpressionError("syntax", "An expression is missing here.", 0, text.length);
  try {
    return new Parser(tokensOf(text), text).whole();
  } catch (error) {
    if (!(error instanceof ExpressionError) || error.code !== "syntax") throw error;
    const meant = explainMistake(text);
    throw meant ? new ExpressionError("syntax", meant.message, meant.start, meant.end) : error;
  }
}

/** Words that cannot be names, though they may stand behind a dot. */
const reserved = new Set(
  "as break const continue else for function if import let loop package namespace return var void while in".split(
    " ",
  ),
);
const constants = new Map<string, null | boolean>([
  ["null", null],
  ["true", true],
  ["false", false],
]);

/** How tightly the binary operators bind. */
const binding = new Map<string, number>([
  ...["<", "<=", ">=", ">", "==", "!=", "in"].map((sign): [string, number] => [sign, 0]),
  ...["+", "-"].map((sign): [string, number] => [sign, 1]),
  ...["*", "/", "%"].map((sign): [string, number] => [sign, 2]),
]);

class Parser {
  #at = 0;
  #nesting = 0;
  #nodes = 0;
  /** How deep each node is: chains of operators and fields grow to the left. */
  readonly #depths = new Map<Node, number>();

  constructor(
    readonly tokens: Token[],
    readonly text: string,
  ) {}

  whole(): Node {
    const node = this.#expression();
    const { kind } = this.#next();
    if (kind !== "end") throw this.#unexpected("The expression is over before this");
    return node;
  }

  #next(): Token {
    return this.tokens[this.#at] as Token;
  }

  #is(sign: string): boolean {
    const token = this.#next();
    return (
      (token.kind === "sign" && token.text === sign) ||
      (token.kind === "name" && sign === "in" && token.text === "in")
    );
  }

  #take(sign: string): boolean {
    if (!this.#is(sign)) return false;
    this.#at++;
    return true;
  }

  #need(sign: string, opened: Token): void {
    if (this.#take(sign)) return;
    if (this.#next().kind === "end")
      throw new ExpressionError("syntax", `This is not closed by a ${sign}.`, opened.start, this.text.length);
    throw this.#unexpected(`A ${sign} is missing before this`);
  }

  #unexpected(what: string): ExpressionError {
    const { kind, start, end } = this.#next();
    if (kind === "end")
      return new ExpressionError(
        "syntax",
        "The expression ends too early; something is missing at its end.",
        start,
        end,
      );
    return new ExpressionError("syntax", `${what}: ${this.text.slice(start, end)}`, start, end);
  }

  #made<T extends Node>(node: T, ...inner: Node[]): T {
    if (++this.#nodes > sourceLimits.nodes) throw tooLarge("The expression has too many parts.", node);
    const depth = 1 + Math.max(0, ...inner.map((one) => this.#depths.get(one) ?? 0));
    if (depth > sourceLimits.chain) throw tooLarge("The expression is nested too deeply.", node);
    this.#depths.set(node, depth);
    return node;
  }

  #expression(): Node {
    const { start, end } = this.#next();
    if (++this.#nesting > sourceLimits.nesting)
      throw tooLarge("The expression is nested too deeply.", { start, end });
    const condition = this.#or();
    this.#nesting--;
    if (!this.#take("?")) return condition;
    this.#nesting++;
    const then = this.#or();
    if (!this.#take(":")) throw this.#unexpected("A : is missing before this");
    const otherwise = this.#expression();
    this.#nesting--;
    return this.#made(
      { op: "choice", condition, then, otherwise, start: condition.start, end: otherwise.end },
      condition,
      then,
      otherwise,
    );
  }

  #or(): Node {
    return this.#logic("||", "or", () => this.#logic("&&", "and", () => this.#binary(0)));
  }

  #logic(sign: string, op: "or" | "and", operand: () => Node): Node {
    let left = operand();
    while (this.#take(sign)) {
      const right = operand();
      left = this.#made({ op, left, right, start: left.start, end: right.end }, left, right);
    }
    return left;
  }

  /** Operators that bind at least as tightly as a level; those of one level from left to right. */
  #binary(least: number): Node {
    let left = this.#unary();
    for (;;) {
      const token = this.#next();
      const sign = token.kind === "sign" || token.kind === "name" ? token.text : "";
      const level = binding.get(sign);
      if (level === undefined || level < least) return left;
      this.#at++;
      const right = this.#binary(level + 1);
      left = this.#made(
        { op: "binary", sign: sign as BinarySign, left, right, start: left.start, end: right.end },
        left,
        right,
      );
    }
  }

  #unary(): Node {
    const token = this.#next();
    for (const [sign, op] of [
      ["!", "not"],
      ["-", "negate"],
    ] as const) {
      if (!this.#take(sign)) continue;
      const next = this.#next();
      // A sign in front of a number is a part of it, so that the smallest whole number can be written.
      if (sign === "-" && next.kind === "number" && next.start === token.end) {
        this.#at++;
        const literal: Node = { op: "literal", value: -next.value, start: token.start, end: next.end };
        return this.#member(this.#made(literal));
      }
      if (++this.#nesting > sourceLimits.chain) throw tooLarge("The expression is nested too deeply.", token);
      const operand = this.#unary();
      this.#nesting--;
      return this.#made({ op, operand, start: token.start, end: operand.end }, operand);
    }
    return this.#member(this.#primary());
  }

  #member(first: Node): Node {
    let node = first;
    for (;;) {
      const token = this.#next();
      if (this.#take(".")) node = this.#selected(node);
      else if (this.#take("[")) {
        const optional = this.#take("?");
        const index = this.#expression();
        const end = this.#next().end;
        this.#need("]", token);
        node = this.#made(
          { op: "index", object: node, index, optional, start: node.start, end },
          node,
          index,
        );
      } else return node;
    }
  }

  #selected(object: Node): Node {
    const optional = this.#take("?");
    const token = this.#next();
    if (token.kind !== "name" && token.kind !== "quoted-name")
      throw this.#unexpected("A name is missing before this");
    if (token.kind === "name" && token.text === "in") throw this.#unexpected("This word cannot be a name");
    this.#at++;
    const { text: key, start, end } = token;
    if (!optional && token.kind === "name" && this.#is("(")) {
      const args = this.#arguments();
      return this.#made(
        { op: "call", name: key, receiver: object, args, start: object.start, end: this.#lastEnd() },
        object,
        ...args,
      );
    }
    if (constants.has(key) && token.kind === "name")
      throw new ExpressionError(
        "syntax",
        `"${key}" cannot be the name of a field here; write ["${key}"].`,
        start,
        end,
      );
    return this.#made({ op: "field", object, key, optional, start: object.start, end }, object);
  }

  #lastEnd(): number {
    return (this.tokens[this.#at - 1] as Token).end;
  }

  #arguments(): Node[] {
    const opened = this.#next();
    this.#need("(", opened);
    const args: Node[] = [];
    if (this.#take(")")) return args;
    do args.push(this.#expression());
    while (this.#take(","));
    this.#need(")", opened);
    if (args.length > sourceLimits.arguments) throw tooLarge("A call has too many arguments.", opened);
    return args;
  }

  #primary(): Node {
    const token = this.#next();
    const { start, end } = token;
    switch (token.kind) {
      case "number":
      case "text":
      case "bytes":
        this.#at++;
        return this.#made({ op: "literal", value: token.value, start, end });
      case "name":
        return this.#named(false);
      case "sign":
        if (this.#take(".")) return this.#named(true);
        if (this.#take("(")) {
          const inner = this.#expression();
          this.#need(")", token);
          return inner;
        }
        if (this.#take("[")) return this.#list(token);
        if (this.#take("{")) return this.#map(token);
        throw this.#unexpected("A value is missing before this");
      case "quoted-name":
        throw this.#unexpected("A name in back quotes is possible only behind a dot");
      case "end":
        throw this.#unexpected("");
    }
  }

  #named(root: boolean): Node {
    const token = this.#next();
    if (token.kind !== "name") throw this.#unexpected("A name is missing before this");
    const { text: name, start, end } = token;
    this.#at++;
    if (constants.has(name) && !root)
      return this.#made({ op: "literal", value: constants.get(name) as null | boolean, start, end });
    if (reserved.has(name)) throw new ExpressionError("syntax", `"${name}" cannot be a name.`, start, end);
    if (this.#is("(")) {
      const args = this.#arguments();
      return this.#made(
        { op: "call", name, receiver: undefined, args, start, end: this.#lastEnd() },
        ...args,
      );
    }
    return this.#made({ op: "name", name, ...(root ? { root } : {}), start, end });
  }

  #list(opened: Token): Node {
    const items: ListItem[] = [];
    while (!this.#is("]")) {
      const optional = this.#take("?");
      items.push({ value: this.#expression(), optional });
      if (!this.#take(",")) break;
    }
    this.#need("]", opened);
    return this.#made(
      { op: "list", items, start: opened.start, end: this.#lastEnd() },
      ...items.map((item) => item.value),
    );
  }

  #map(opened: Token): Node {
    const entries: MapEntry[] = [];
    while (!this.#is("}")) {
      const optional = this.#take("?");
      const key = this.#expression();
      if (!this.#take(":")) throw this.#unexpected("A : is missing before this");
      entries.push({ key, value: this.#expression(), optional });
      if (!this.#take(",")) break;
    }
    this.#need("}", opened);
    const inner = entries.flatMap((entry) => [entry.key, entry.value]);
    return this.#made({ op: "map", entries, start: opened.start, end: this.#lastEnd() }, ...inner);
  }
}

function tooLarge(message: string, { start, end }: { start: number; end: number }): ExpressionError {
  return new ExpressionError("too-large", message, start, end);
}
