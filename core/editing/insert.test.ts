import { describe, expect, it } from "vitest";
import { Exact } from "../values/json.js";
import { collected, firstWhere, insertion, loopOver, successWhere } from "./insert.js";
import { valueTyped } from "./typed.js";

describe("a picked value", () => {
  it("goes in bare, in a text, with a default, or as the first that is like it", () => {
    expect(insertion("steps.a.body", "expression")).toBe("steps.a.body");
    expect(insertion("steps.a.body", "template")).toBe("${steps.a.body}");
    expect(insertion("steps.a.body", "expression", true)).toBe('default(steps.a.body, "")');
    const items = [
      { id: "g-1", hut: "corrie" },
      { id: "g-2", hut: "corrie" },
    ];
    const at = (path: readonly (string | number)[]) =>
      path.length === 2 ? items : (items[Number(path[2])] as { id: string; hut: string });
    expect(firstWhere(["steps", "list", 1, "hut"], at)).toBe(
      'steps.list.filter(one, one.id == "g-2")[0].hut',
    );
    expect(firstWhere(["steps", "list"], at)).toBeUndefined();
  });

  it("that is a list becomes a loop over it, with a name for its item", () => {
    expect(loopOver(["steps", "huts", "body", "items"])).toEqual({
      step: "eachHut",
      each: "steps.huts.body.items",
      as: "hut",
      steps: [],
    });
    expect(loopOver(["steps", "found", "body", "guests"])).toMatchObject({ as: "guest" });
    expect(loopOver(["inputs", "all"])).toMatchObject({ step: "eachItem", as: "item" });
  });

  it("becomes what a response must be to count as success", () => {
    expect(successWhere(["steps", "a", "body", "state"], "open", undefined)).toBe('body.state == "open"');
    expect(successWhere(["steps", "a", "status"], 201, "body.ok")).toBe("body.ok && status == 201");
    expect(successWhere(["steps", "a", "status"], 201, "x || y")).toBe("(x || y) && status == 201");
    expect(successWhere(["steps", "a", "status"], 201, "status == 201")).toBe("status == 201");
    expect(successWhere(["steps", "a", "body"], {}, undefined)).toBeUndefined();
    expect(successWhere(["inputs", "a"], 1, undefined)).toBeUndefined();
  });

  it("is added to what each item of a loop gives", () => {
    const path = ["steps", "rota", "body", "reports"];
    expect(collected(undefined, "hut", path)).toBe("merge(hut, {'reports': steps.rota.body.reports})");
    const once = collected("merge(hut, {'id': hut.id})", "hut", path);
    expect(once).toBe("merge(hut, {'id': hut.id, 'reports': steps.rota.body.reports})");
    expect(collected(once, "hut", path)).toBe(once);
    expect(collected("{'id': hut.id}", "hut", path)).toBe(
      "{'id': hut.id, 'reports': steps.rota.body.reports}",
    );
    expect(collected("steps.post.body", "hut", path)).toBe(
      "merge(steps.post.body, {'reports': steps.rota.body.reports})",
    );
  });
});

it("what is typed takes the type that belongs there", () => {
  expect(valueTyped("20", { type: "integer" })).toBe(20);
  expect(valueTyped("20", { type: ["integer", "null"] })).toBe(20);
  expect(valueTyped("20", { type: "string" })).toBe("20");
  expect(valueTyped("20", { type: ["integer", "string"] })).toBe("20");
  expect(valueTyped("20", undefined)).toBe("20");
  expect(valueTyped("20", undefined, 5)).toBe(20);
  expect(valueTyped("true", { type: "boolean" })).toBe(true);
  expect(valueTyped("true", { type: "integer" })).toBe("true");
  expect(valueTyped("${inputs.n}", { type: "integer" })).toBe("${inputs.n}");
  expect(valueTyped("[1]", { type: "integer" })).toBe("[1]");
  expect(valueTyped("9".repeat(30), { type: "integer" })).toBeInstanceOf(Exact);
});
