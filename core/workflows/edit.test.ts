import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import { leafPlaces, valueAt, type Path } from "../values/paths.js";
import { CannotEdit, insertItem, moveItem, removeField, removeItems, setField } from "./edit.js";
import { withItem, without, withValue } from "./edit-value.js";
import { Source } from "./source.js";

const valueOf = (text: string): Json => {
  const source = new Source(text);
  const { value } = source;
  if (value === undefined) throw new Error(source.problems.map(({ message }) => message).join(" "));
  return value;
};

const text = `# who comes today
copper-kettle: 1
name: desk   # the office's
limits: { parallel: 2, when-busy: skip }

steps:
  # first look
  - step: guest
    request: GET https://stays.example/guests # by e-mail
    query:
      email:   "\${inputs.email}"   # aligned
    retry: { waits: [5s, 20s] }

  - { step: known, set: { n: 1 } } # short
  # then go on
  - step: more
    if: size(steps.guest.body.items) > 0
    then:
      - step: told
        note: |
          Two lines,
            as they are.
      - { step: end, finish: Done. }
    else: []
`;

describe("an edit of a file", () => {
  it.each<[string, (given: string) => string, string, string]>([
    ["a scalar", (t) => setField(t, ["name"], "office"), "name: desk   #", "name: office   #"],
    ["a scalar on its line", (t) => setField(t, ["limits", "parallel"], 3), "parallel: 2", "parallel: 3"],
    ["a key in brackets", (t) => setField(t, ["limits", "within"], "10m"), "skip }", "skip, within: 10m }"],
    [
      "a key behind the last one, before the blank line",
      (t) => setField(t, ["steps", 0, "using"], "stays-key"),
      "    retry: { waits: [5s, 20s] }\n",
      "    retry: { waits: [5s, 20s] }\n    using: stays-key\n",
    ],
    [
      "a key that is not there, with what it stands in",
      (t) => setField(t, ["steps", 0, "timeout", "response"], "20s"),
      "    retry: { waits: [5s, 20s] }\n",
      "    retry: { waits: [5s, 20s] }\n    timeout: { response: 20s }\n",
    ],
    [
      "a text of several lines",
      (t) => setField(t, ["steps", 2, "then", 0, "note"], "a\n  b\n"),
      "          Two lines,\n            as they are.\n",
      "          a\n            b\n",
    ],
  ])("sets %s, and touches nothing else", (_what, edit, before, after) => {
    expect(text.split(before)).toHaveLength(2);
    expect(edit(text)).toBe(text.replace(before, () => after));
  });

  it("sets a text that is typed half: a ${ without its end is no fault of the file's YAML", () => {
    for (const path of [
      ["steps", 0, "request"],
      ["steps", 1, "set", "n"],
      ["steps", 2, "if"],
      ["steps", 2, "then", 0, "note"],
    ]) {
      const made = setField(text, path, "GET ${inputs.em");
      expect(valueAt(valueOf(made), path)).toBe("GET ${inputs.em");
      expect(setField(made, path, "GET ${inputs.email}")).toBe(setField(text, path, "GET ${inputs.email}"));
    }
  });

  it("removes a key with its line, an item with its own, and leaves an empty list where the last one goes", () => {
    expect(removeField(text, ["steps", 0, "query"])).toBe(
      text.replace('    query:\n      email:   "${inputs.email}"   # aligned\n', ""),
    );
    expect(removeField(text, ["steps", 0, "step"])).toBe(
      text.replace("- step: guest\n    request:", "- request:"),
    );
    expect(removeField(text, ["limits", "when-busy"])).toBe(text.replace(", when-busy: skip", ""));
    const one = removeField(text, ["steps", 2, "then", 1]);
    expect(removeField(one, ["steps", 2, "then", 0])).toContain("    then:\n      []\n    else: []\n");
  });

  it("puts a step in as a person would write it", () => {
    const step = { step: "look", request: "GET https://huts.example/huts", query: { open: true } };
    expect(insertItem(text, ["steps"], 1, step)).toBe(
      text.replace(
        "    retry: { waits: [5s, 20s] }\n",
        "    retry: { waits: [5s, 20s] }\n\n  - step: look\n    request: GET https://huts.example/huts\n    query: { open: true }\n",
      ),
    );
    expect(insertItem(text, ["steps"], 0, { step: "a", note: "x" })).toContain(
      "steps:\n  - step: a\n    note: x\n\n  # first look\n  - step: guest\n",
    );
    expect(insertItem(text, ["steps", 2, "else"], 0, { step: "a", note: "x" })).toContain(
      "    else:\n      - step: a\n        note: x\n",
    );
  });

  it("moves a step with its comments, its quoting and its folding, in and out of others", () => {
    const moved = moveItem(text, ["steps", 0], ["steps", 2, "then"], 1);
    expect(moved).toContain(
      '            as they are.\n      # first look\n      - step: guest\n        request: GET https://stays.example/guests # by e-mail\n        query:\n          email:   "${inputs.email}"   # aligned\n        retry: { waits: [5s, 20s] }\n      - { step: end',
    );
    expect(moveItem(moved, ["steps", 1, "then", 1], ["steps"], 0).replaceAll("\n\n", "\n")).toBe(
      text.replaceAll("\n\n", "\n"),
    );
    expect(() => moveItem(text, ["steps", 2], ["steps", 2, "then"], 0)).toThrow("into itself");
  });

  it("keeps steps apart by blank lines where they are, and leaves none where a step was", () => {
    const list = (...names: string[]): string =>
      `steps:\n${names.map((name) => `  # of ${name}\n  - step: ${name}\n    note: x\n`).join("\n")}\nresult: 1\n`;
    const abc = list("a", "b", "c");
    expect(removeItems(abc, ["steps", 0])).toBe(list("b", "c"));
    expect(removeItems(abc, ["steps", 1])).toBe(list("a", "c"));
    expect(removeItems(abc, ["steps", 1], 2)).toBe(list("a"));
    expect(moveItem(abc, ["steps", 0], ["steps"], 3)).toBe(list("b", "c", "a"));
    expect(moveItem(abc, ["steps", 2], ["steps"], 0)).toBe(list("c", "a", "b"));
    // These blank lines are what the first one says.
    const kept = "steps:\n  - step: a\n    note: |+\n      x\n\n  - step: b\n    note: y\n";
    expect(removeItems(kept, ["steps", 1])).toBe("steps:\n  - step: a\n    note: |+\n      x\n\n");
  });

  it("leaves a JSON file JSON", () => {
    const json = '{\n  "name": "desk",\n  "steps": [{ "step": "a", "note": "x" }]\n}\n';
    const made = insertItem(setField(json, ["limits"], { parallel: 2 }), ["steps"], 0, {
      step: "b",
      note: "${1}",
    });
    expect(JSON.parse(made)).toEqual({
      name: "desk",
      steps: [
        { step: "b", note: "${1}" },
        { step: "a", note: "x" },
      ],
      limits: { parallel: 2 },
    });
    expect(made.startsWith('{\n  "name": "desk",\n  "steps": [{')).toBe(true);
  });

  it.each<[string, () => string]>([
    ["an alias stands there", () => setField("a: &x { b: 1 }\nc: *x\n", ["c", "b"], 2)],
    ["an alias means it", () => removeField("a: &x { b: 1 }\nc: *x\n", ["a"])],
    ["nothing is there", () => removeField(text, ["steps", 9])],
    ["it is not a list", () => insertItem(text, ["name"], 0, 1)],
    ["the list is shorter", () => insertItem(text, ["steps"], 9, 1)],
    ["the file cannot be read", () => setField("a: [", ["a"], 1)],
    ["the file is one value", () => setField(text, [], 1)],
  ])("is refused where %s, with a reason", (_why, edit) => {
    expect(edit).toThrow(CannotEdit);
  });

  it("changes what it says and nothing else, whatever the file and the edit; and every comment stays", () => {
    const scalar = fc.oneof(
      fc.constantFrom("a", "b c", "", "yes", "1", "x: y", "# no", "- z", "two\nlines", "${a}"),
      fc.integer(),
      fc.boolean(),
      fc.constant(null),
    );
    const key = fc.constantFrom("step", "if", "a b", "note", "x-y", "1", "set");
    const { value } = fc.letrec<{ value: Json }>((tie) => ({
      value: fc.oneof(
        { depthSize: "small", withCrossShrink: true },
        scalar,
        fc.array(tie("value"), { maxLength: 4 }),
        fc.dictionary(key, tie("value"), { maxKeys: 4, noNullPrototype: true }),
      ),
    }));
    const whole = fc.dictionary(key, value, { minKeys: 1, maxKeys: 4, noNullPrototype: true });
    let edits = 0;
    fc.assert(
      fc.property(whole, fc.infiniteStream(fc.nat()), value, (file, numbers, put) => {
        const number = (): number => numbers.next().value;
        const written = printed(file as JsonObject, 0, number);
        expect(printJson(valueOf(written)), written).toBe(printJson(file as Json));
        const place = somewhere(file as Json, number);
        const lists = leafPlaces(file as Json)
          .map((one) =>
            one.slice(
              0,
              one.findLastIndex((part) => typeof part === "number"),
            ),
          )
          .filter((one) => Array.isArray(valueAt(file as Json, one)));
        const list = lists[number() % Math.max(1, lists.length)];
        const attempts: [() => string, () => Json][] = [
          [() => setField(written, place, put), () => withValue(file as Json, place, put)],
          [() => removeField(written, place), () => without(file as Json, place)],
        ];
        if (list) {
          const items = valueAt(file as Json, list) as Json[];
          const index = number() % (items.length + 1);
          attempts.push([
            () => insertItem(written, list, index, put),
            () => withItem(file as Json, list, index, put),
          ]);
        }
        for (const [edit, wanted] of attempts) {
          const made = edit();
          edits++;
          expect(printJson(valueOf(made))).toBe(printJson(wanted()));
          // Comments inside of what is replaced go with it.
          const lines = new Set(made.split("\n"));
          const old = valueAt(file as Json, place);
          if (typeof old === "object" && old !== null && attempts.findIndex(([one]) => one === edit) < 2)
            continue;
          for (const line of written.split("\n"))
            if (/^ *# note \d/.test(line)) expect(lines, made).toContain(line);
        }
      }),
      { numRuns: 500 },
    );
    expect(edits).toBeGreaterThan(800);
  });
});

/** A place in a value: of a leaf, or of what holds it. */
function somewhere(file: Json, number: () => number): Path {
  const leaves = leafPlaces(file);
  const leaf = leaves[number() % Math.max(1, leaves.length)] ?? [
    Object.keys(file as JsonObject)[0] as string,
  ];
  return leaf.slice(0, 1 + (number() % leaf.length));
}

/** A value as YAML in a mixture of styles, with comments between its lines. */
function printed(value: Json, indent: number, number: () => number): string {
  const space = " ".repeat(indent);
  const note = (): string => (number() % 3 === 0 ? `${space}# note ${number() % 1000}\n` : "");
  if (isObject(value))
    return Object.keys(value)
      .map((key) => `${note()}${space}${JSON.stringify(key)}:${behind(value[key] as Json, indent, number)}`)
      .join("");
  return (value as Json[]).map((item) => `${note()}${space}-${behind(item, indent, number)}`).join("");
}

function behind(value: Json, indent: number, number: () => number): string {
  const isEmpty = typeof value !== "object" || value === null || Object.keys(value).length === 0;
  if (isEmpty || number() % 3 === 0)
    return ` ${JSON.stringify(value)}${number() % 4 === 0 ? "   # beside" : ""}\n`;
  return `\n${printed(value, indent + 2 + (number() % 2), number)}`;
}
