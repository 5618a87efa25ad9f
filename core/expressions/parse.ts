import type { ParseError } from "@marcbachmann/cel-js";
import { Environment, type ASTNode } from "@marcbachmann/cel-js";
import { ExpressionError } from "./errors.js";
import { explainMistake } from "./mistakes.js";

/** A node of a CEL syntax tree. `start` and `end` are offsets in the expression's text. */
export type Node = { start: number; end: number } & (
  | { op: "literal"; value: null | boolean | number | bigint | string | Uint8Array }
  | { op: "name"; name: string }
  | { op: "field"; object: Node; key: string; optional: boolean }
  | { op: "index"; object: Node; index: Node; optional: boolean }
  | { op: "call"; name: string; receiver: Node | undefined; args: Node[] }
  | { op: "list"; items: Node[] }
  | { op: "map"; entries: [Node, Node][] }
  | { op: "choice"; condition: Node; then: Node; otherwise: Node }
  | { op: "or" | "and"; left: Node; right: Node }
  | { op: "not" | "negate"; operand: Node }
  | { op: "binary"; sign: BinarySign; left: Node; right: Node }
);

export type BinarySign = "!=" | "==" | "in" | "+" | "-" | "*" | "/" | "%" | "<" | "<=" | ">" | ">=";

/** Limits on a source text: longer, deeper or larger ones are refused when they are compiled. */
export const sourceLimits = { length: 20_000, depth: 120, nodes: 20_000 };

const environment = new Environment({
  enableOptionalTypes: true,
  unlistedVariablesAreDyn: true,
  limits: {
    maxAstNodes: sourceLimits.nodes,
    maxDepth: sourceLimits.depth,
    maxListElements: sourceLimits.nodes,
    maxMapEntries: sourceLimits.nodes,
    maxCallArguments: 64,
  },
});

/**
 * Parses one CEL expression (Common Expression Language, language definition, section Syntax).
 * @throws ExpressionError with code `syntax` or `too-large`
 */
export function parseExpression(text: string): Node {
  if (text.length > sourceLimits.length) {
    throw new ExpressionError(
      "too-large",
      `An expression may be ${sourceLimits.length} characters long; this one has ${text.length}.`,
      0,
      text.length,
    );
  }
  if (text.trim() === "")
    throw new ExpressionError("syntax", "An expression is missing here.", 0, text.length);
  try {
    return converted(environment.parse(text).ast, text);
  } catch (error) {
    if (error instanceof ExpressionError) throw error;
    if (error instanceof RangeError)
      throw new ExpressionError("too-large", "The expression is nested too deeply.", 0, text.length);
    const fault = error as ParseError;
    const start = Math.min(fault.range?.start ?? 0, text.length);
    const end = Math.max(fault.range?.end ?? text.length, start);
    const meant = explainMistake(text);
    if (meant) throw new ExpressionError("syntax", meant.message, meant.start, meant.end);
    throw new ExpressionError("syntax", `${sentence(fault.summary ?? fault.message)}`, start, end);
  }
}

function sentence(summary: string): string {
  if (/Unexpected token: EOF|got EOF/.test(summary))
    return "The expression ends too early; something is missing at its end.";
  return `${summary.replace(/\n[\s\S]*$/, "").replace(/\.$/, "")}.`;
}

const binarySigns = new Set(["!=", "==", "in", "+", "-", "*", "/", "%", "<", "<=", ">", ">="]);

function converted(ast: ASTNode, text: string): Node {
  const at = { start: ast.start, end: ast.end };
  const node = (inner: unknown) => converted(inner as ASTNode, text);
  switch (ast.op) {
    case "value":
      return { ...at, op: "literal", value: literal(ast.args) };
    case "id":
      return { ...at, op: "name", name: ast.args };
    case ".":
    case ".?":
      return { ...at, op: "field", object: node(ast.args[0]), key: ast.args[1], optional: ast.op === ".?" };
    case "[]":
    case "[?]":
      return {
        ...at,
        op: "index",
        object: node(ast.args[0]),
        index: node(ast.args[1]),
        optional: ast.op === "[?]",
      };
    case "call":
      return { ...at, op: "call", name: ast.args[0], receiver: undefined, args: ast.args[1].map(node) };
    case "rcall":
      return {
        ...at,
        op: "call",
        name: ast.args[0],
        receiver: node(ast.args[1]),
        args: ast.args[2].map(node),
      };
    case "list":
      return { ...at, op: "list", items: ast.args.map(node) };
    case "map":
      return { ...at, op: "map", entries: ast.args.map(([key, value]) => [node(key), node(value)]) };
    case "?:":
      return {
        ...at,
        op: "choice",
        condition: node(ast.args[0]),
        then: node(ast.args[1]),
        otherwise: node(ast.args[2]),
      };
    case "||":
    case "&&":
      return { ...at, op: ast.op === "||" ? "or" : "and", left: node(ast.args[0]), right: node(ast.args[1]) };
    case "!_":
    case "-_":
      return { ...at, op: ast.op === "!_" ? "not" : "negate", operand: node(ast.args) };
    default:
      if (binarySigns.has(ast.op)) {
        const [left, right] = ast.args as [ASTNode, ASTNode];
        return { ...at, op: "binary", sign: ast.op as BinarySign, left: node(left), right: node(right) };
      }
      throw new ExpressionError(
        "syntax",
        `This form is not understood: ${text.slice(ast.start, ast.end)}`,
        ast.start,
        ast.end,
      );
  }
}

function literal(value: unknown): null | boolean | number | bigint | string | Uint8Array {
  if (typeof value === "object" && value !== null && !(value instanceof Uint8Array)) {
    return BigInt((value as { value: bigint }).value); // an unsigned literal such as 2u
  }
  return value as null | boolean | number | bigint | string | Uint8Array;
}
