import { describe, expect, it } from "vitest";
import { retied, tiesOf } from "./ties.js";

const file = `copper-kettle: 1
name: a
triggers:
  hook: { webhook: { path: arrivals, verify: { bearer: desk-program } } }
steps:
  # The huts, first.
  - { step: huts, request: "GET \${constants.stays}/huts", using: stays-key }
  - step: each
    each: steps.huts.body.items.filter(one, one.at != constants.stays + "/x")
    steps:
      - { step: post, operation: boards.createPost, using: [stays-key, boards-bot] } # both
  - { step: more, workflow: { name: greet-guest } }
`;

describe("what a copy is tied to", () => {
  it("is listed with who uses it", () => {
    expect(tiesOf(file).map(({ kind, name, steps }) => `${kind} ${name}: ${steps.join(" ")}`)).toEqual([
      "credential desk-program: hook",
      "webhook arrivals: hook",
      "constant stays: huts each",
      "credential stays-key: huts post",
      "operation boards.createPost: post",
      "credential boards-bot: post",
      "workflow greet-guest: more",
    ]);
  });

  it("is replaced wherever the file names it, and all else stays byte for byte", () => {
    const others: Record<string, string> = {
      "credential stays-key": "copy-key",
      "constant stays": "sandbox",
      "webhook arrivals": "arrivals-copy",
      "operation boards.createPost": "boards.other",
      "workflow greet-guest": "greet-copy",
    };
    const made = tiesOf(file).reduce((text, tie) => {
      const to = others[`${tie.kind} ${tie.name}`];
      return to === undefined ? text : retied(text, tie, to);
    }, file);
    expect(made).toBe(
      file
        .replaceAll("stays-key", "copy-key")
        .replaceAll("constants.stays", "constants.sandbox")
        .replace("path: arrivals", "path: arrivals-copy")
        .replace("boards.createPost", "boards.other")
        .replace("greet-guest", "greet-copy"),
    );
  });
});
