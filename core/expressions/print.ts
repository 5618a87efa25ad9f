import type { Node } from "./parse.js";

/** How tightly each form binds, the loosest first; an inner form that binds less is put in brackets. */
const level = { choice: 0, or: 1, and: 2, relation: 3, sum: 4, product: 5, unary: 6, member: 7 } as const;

/** A syntax tree as text: parsed again it gives the same tree. */
export function printExpression(node: Node): string {
  return printed(node, level.choice);
}

function printed(node: Node, least: number): string {
  const own = levelOf(node);
  const text = print(node);
  return own < least ? `(${text})` : text;
}

function levelOf(node: Node): number {
  switch (node.op) {
    case "choice":
      return level.choice;
    case "or":
      return level.or;
    case "and":
      return level.and;
    case "binary":
      return signLevel(node.sign);
    case "not":
    case "negate":
      return level.unary;
    case "literal":
      return isNegative(node.value) ? level.unary : level.member;
    default:
      return level.member;
  }
}

function signLevel(sign: string): number {
  return /^[+-]$/.test(sign) ? level.sum : /^[*/%]$/.test(sign) ? level.product : level.relation;
}

function isNegative(value: Extract<Node, { op: "literal" }>["value"]): boolean {
  return (typeof value === "number" || typeof value === "bigint") && (value < 0 || Object.is(value, -0));
}

function print(node: Node): string {
  switch (node.op) {
    case "literal":
      return literal(node.value);
    case "name":
      return node.root ? `.${node.name}` : node.name;
    case "field":
      return `${printed(node.object, level.member)}${node.optional ? ".?" : "."}${field(node.key)}`;
    case "index":
      return `${printed(node.object, level.member)}[${node.optional ? "?" : ""}${print(node.index)}]`;
    case "call": {
      const args = node.args.map(print).join(", ");
      return node.receiver
        ? `${printed(node.receiver, level.member)}.${node.name}(${args})`
        : `${node.name}(${args})`;
    }
    case "list":
      return `[${node.items.map(({ value, optional }) => `${optional ? "?" : ""}${print(value)}`).join(", ")}]`;
    case "map":
      return `{${node.entries.map(({ key, value, optional }) => `${optional ? "?" : ""}${print(key)}: ${print(value)}`).join(", ")}}`;
    case "choice":
      return `${printed(node.condition, level.or)} ? ${printed(node.then, level.or)} : ${printed(node.otherwise, level.choice)}`;
    case "or":
    case "and": {
      const at = level[node.op];
      return `${printed(node.left, at)} ${node.op === "or" ? "||" : "&&"} ${printed(node.right, at + 1)}`;
    }
    case "not":
      return `!${printed(node.operand, level.unary)}`;
    case "negate":
      // A blank keeps a number behind it from being taken for a negative one.
      return `- ${printed(node.operand, level.unary)}`;
    case "binary": {
      const at = signLevel(node.sign);
      return `${printed(node.left, at)} ${node.sign} ${printed(node.right, at + 1)}`;
    }
  }
}

function field(key: string): string {
  return /^[A-Za-z_][A-Za-z0-9_]*$/.test(key) && !/^(in|true|false|null)$/.test(key) ? key : `\`${key}\``;
}

function literal(value: Extract<Node, { op: "literal" }>["value"]): string {
  if (value instanceof Uint8Array)
    return `b"${[...value].map((byte) => `\\x${byte.toString(16).padStart(2, "0")}`).join("")}"`;
  if (typeof value === "string") return quoted(value);
  if (typeof value === "bigint" || value === null || typeof value === "boolean") return String(value);
  if (Object.is(value, -0)) return "-0.0";
  const text = String(value);
  return /[.e]/.test(text) ? text.replace("e+", "e") : `${text}.0`;
}

/** A text in double quotes, with escapes for what a line cannot hold. */
function quoted(text: string): string {
  const escaped = [...text].map((character) => {
    const code = character.codePointAt(0) as number;
    if (character === '"' || character === "\\") return `\\${character}`;
    if (code >= 32 && code !== 127) return character;
    return `\\u${code.toString(16).padStart(4, "0")}`;
  });
  return `"${escaped.join("")}"`;
}
