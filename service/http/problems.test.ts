import { describe, expect, it } from "vitest";
import { z } from "zod";
import { BadInputs, QueueFull, WrongState } from "../runs/start-request.js";
import { KeyNotOurs } from "../sealing/sealing.js";
import { DraftConflict, HasProblems } from "../store/workflows.js";
import { invalid, notFound, problemOf, type HttpProblem } from "./problems.js";

const problem = {
  severity: "error" as const,
  code: "x",
  message: "No.",
  line: 4,
  column: 2,
  endLine: 4,
  endColumn: 3,
  field: "",
};

describe("errors become problem details", () => {
  it.each<[Error, number, string, string]>([
    [
      new BadInputs([{ field: "email", message: '"email" is missing.' }]),
      422,
      "bad-inputs",
      '"email" is missing.',
    ],
    [
      new HasProblems("first", [{ ...problem, severity: "advice", line: 1 }, problem]),
      422,
      "workflow-problems",
      "Line 4, column 2: No.",
    ],
    [new DraftConflict("changed"), 409, "draft-conflict", "changed"],
    [new WrongState("it is over"), 409, "wrong-state", "it is over"],
    [
      Object.assign(new Error("SQLITE_FULL: database or disk is full"), { code: "SQLITE_FULL" }),
      507,
      "storage",
      "The service cannot read or write its data: SQLITE_FULL: database or disk is full. Nothing was changed. Check the disk and its free space, then try again.",
    ],
    [new QueueFull("too many"), 429, "queue-full", "too many"],
    [new KeyNotOurs("elsewhere"), 409, "key-not-ours", "elsewhere"],
    [notFound("run", "r1"), 404, "not-found", 'There is no run "r1".'],
    [
      Object.assign(new Error("request entity too large"), { status: 413, type: "entity.too.large" }),
      413,
      "too-large",
      "10 MB",
    ],
    [
      Object.assign(new Error("bad encoding"), { status: 400, type: "encoding.unsupported" }),
      400,
      "invalid-request",
      "bad encoding",
    ],
  ])("%s", (error, status, type, detail) => {
    const found = problemOf(error) as HttpProblem;
    expect(found.details()).toMatchObject({ status, type: `urn:copper-kettle:problem:${type}` });
    expect(found.details().detail).toContain(detail);
  });

  it("say how long to wait where that is known, and name the fields", () => {
    expect(problemOf(new QueueFull("x"))?.headers).toEqual({ "Retry-After": "10" });
    expect(problemOf(new BadInputs([{ field: "email", message: "no" }]))?.details().errors).toEqual([
      { field: "inputs.email", message: "no" },
    ]);
  });

  it("are not made of what nobody foresaw", () => {
    expect(problemOf(new TypeError("x is not a function"))).toBeUndefined();
  });

  it("name each field of a request that Zod does not take", () => {
    const schema = z.strictObject({ text: z.string(), limit: z.number().max(5) });
    const result = schema.safeParse({ text: 1, limit: 9, extra: true });
    const { errors, detail } = invalid("body", result.error as z.ZodError).details();
    expect(errors?.map((item) => item.field).sort()).toEqual(["extra", "limit", "text"]);
    expect(detail).toMatch(/^In the body: /);
  });
});
