import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { parseExpression, type BinarySign, type Node } from "./parse.js";
import { printExpression } from "./print.js";

/** A tree without the places in its text. */
function bare(node: Node): unknown {
  return JSON.parse(
    JSON.stringify(node, (key, value: unknown) => {
      if (key === "start" || key === "end") return undefined;
      if (typeof value === "bigint") return `int ${value}`;
      if (Object.is(value, -0)) return "minus zero";
      return value instanceof Uint8Array ? `bytes ${[...value].join(",")}` : value;
    }),
  );
}

const at = { start: 0, end: 0 };
const name = fc.constantFrom("a", "rows", "steps", "x1", "_y");
const literal = fc.oneof(
  fc.constantFrom(null, true, false),
  fc.bigInt({ min: -(2n ** 70n), max: 2n ** 70n }),
  fc.double({ noNaN: true, noDefaultInfinity: true }),
  fc.string({ unit: "grapheme" }),
  fc.string(),
  fc.uint8Array({ maxLength: 4 }),
);
const signs: BinarySign[] = ["!=", "==", "in", "+", "-", "*", "/", "%", "<", "<=", ">", ">="];
const { node: tree } = fc.letrec<{ node: Node }>((tie) => {
  const node = tie("node");
  return {
    node: fc.oneof(
      { maxDepth: 5, withCrossShrink: true },
      literal.map((value): Node => ({ ...at, op: "literal", value: value as never })),
      name.map((one): Node => ({ ...at, op: "name", name: one })),
      fc
        .tuple(node, fc.constantFrom("b", "odd key", "in", "null", "a-b"), fc.boolean())
        .map(([object, key, optional]): Node => ({ ...at, op: "field", object, key, optional })),
      fc
        .tuple(node, node, fc.boolean())
        .map(([object, index, optional]): Node => ({ ...at, op: "index", object, index, optional })),
      fc
        .tuple(name, fc.option(node, { nil: undefined }), fc.array(node, { maxLength: 3 }))
        .map(([one, receiver, args]): Node => ({ ...at, op: "call", name: one, receiver, args })),
      fc
        .array(fc.record({ value: node, optional: fc.boolean() }), { maxLength: 3 })
        .map((items): Node => ({ ...at, op: "list", items })),
      fc
        .array(fc.record({ key: node, value: node, optional: fc.boolean() }), { maxLength: 3 })
        .map((entries): Node => ({ ...at, op: "map", entries })),
      fc
        .tuple(node, node, node)
        .map(([condition, then, otherwise]): Node => ({ ...at, op: "choice", condition, then, otherwise })),
      fc
        .tuple(fc.constantFrom("or", "and"), node, node)
        .map(([op, left, right]): Node => ({ ...at, op: op as "or", left, right })),
      fc
        .tuple(fc.constantFrom("not", "negate"), node)
        .map(([op, operand]): Node => ({ ...at, op: op as "not", operand })),
      fc
        .tuple(fc.constantFrom(...signs), node, node)
        .map(([sign, left, right]): Node => ({ ...at, op: "binary", sign, left, right })),
    ),
  };
});

describe("printing a syntax tree", () => {
  it("gives a text that parses to the same tree", () => {
    fc.assert(
      fc.property(tree, (node) => {
        const text = printExpression(node);
        expect(bare(parseExpression(text)), text).toEqual(bare(node));
      }),
      { numRuns: 2_000 },
    );
  });

  it.each([
    "a + b * c",
    "(a + b) * c",
    "a - (b - c)",
    "!(a && b) || c",
    "a ? b : c ? d : e",
    "(a ? b : c) ? d : e",
    "rows.filter(r, r.open)[0].?x.orValue(- 1)",
    '{"a": [1, ?b.?c]}.`odd key`',
    "-1 - -2",
    "- (a + b)",
  ])("%s as it was written", (text) => {
    expect(printExpression(parseExpression(text))).toBe(text);
  });
});
