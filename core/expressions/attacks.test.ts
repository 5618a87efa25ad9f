import { describe, expect, it } from "vitest";
import { attacks, costly, hostile } from "./attacks.test.kit.js";
import { compile } from "./compile.js";
import { ExpressionError } from "./errors.js";
import { evaluateToJson, parseTemplate, renderTemplate } from "./templates.js";
import type { ValueMap } from "./values.js";

const surroundings = { now: () => 0, uuid: () => "" };
describe("attacks", () => {
  it.each(attacks)("%s", (_what, text) => {
    const before = process.memoryUsage().heapUsed;
    const began = performance.now();
    let outcome: unknown;
    try {
      outcome = evaluateToJson(compile(text), hostile, surroundings);
    } catch (error) {
      outcome = error;
    }
    const took = performance.now() - began;
    if (outcome instanceof Error) {
      expect(outcome).toBeInstanceOf(ExpressionError);
      const { start, end } = outcome as ExpressionError;
      expect(start).toBeGreaterThanOrEqual(0);
      expect(end).toBeLessThanOrEqual(Math.max(text.length, 1));
    }
    // Far above what it takes; a machine under load must not fail it, and a hang must.
    expect(took).toBeLessThan(4_000);
    expect((process.memoryUsage().heapUsed - before) / 1e6).toBeLessThan(150);
  });

  it.each(costly)("%s: ends by its budget", (_what, text) => {
    let code: string | undefined;
    try {
      evaluateToJson(compile(text), hostile, surroundings);
    } catch (error) {
      ({ code } = error as ExpressionError);
    }
    expect(code).toBe("budget");
  });

  it("a template has one budget, and one bound for its text", () => {
    const scope = { t: "a".repeat(100_000) } as ValueMap;
    const render = (source: string) => renderTemplate(parseTemplate(source), scope, surroundings);
    expect((render("${t} ".repeat(70)) as string).length).toBe(70 * 100_001);
    expect(() => render("${t}".repeat(90))).toThrow("more than 8,000,000 characters come together in it");
    const loop = "${size(lists.range(3000).map(i, i + 1))} ";
    expect(render(loop.repeat(10))).toBe("3000 ".repeat(10));
    expect(() => render(loop.repeat(400))).toThrow("does too much");
  });

  it("nothing was changed by any of them", () => {
    expect(({} as { polluted?: unknown }).polluted).toBeUndefined();
    expect(Object.keys(hostile["o"] as object)).toEqual(["__proto__", "constructor", "toString", "a"]);
  });

  it("own keys with the names of JavaScript's are read as what they hold", () => {
    const value = (text: string) => evaluateToJson(compile(text), hostile, surroundings);
    expect(value("o.constructor")).toBe(1);
    expect(value("o.toString")).toBe(2);
    expect(value("o.__proto__.polluted")).toBe(true);
    expect(value('{"__proto__": 1}.__proto__')).toBe(1);
    expect(value("size(keys(o))")).toBe(4);
  });

  it("data is never read for parts of templates, also not by way of an expression", () => {
    const scope = { x: "${o.a}", o: { a: "secret" } } as ValueMap;
    expect(renderTemplate(parseTemplate("${x} ${'$' + '{o.a}'}"), scope, surroundings)).toBe("${o.a} ${o.a}");
  });
});
