import { readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";
import { departures } from "./departures.test.kit.js";
import { runSuite, type Outcome } from "./suite.test.kit.js";

const page = fileURLToPath(new URL("../conformance.md", import.meta.url));

describe("the conformance suite of CEL", () => {
  const all = runSuite();
  const ours = all.filter(({ apart }) => apart === "");
  const reasonFor = ({ id }: Outcome) => departures.findIndex(({ tests }) => tests.test(id));
  const text = report(all, ours, reasonFor);
  if (process.env["CONFORMANCE"]) process.stdout.write(`${text}\n`);
  if (process.env["CONFORMANCE"] === "keep") writeFileSync(page, text);

  it("every test that concerns us passes, but for the departures that are wanted", () => {
    const failing = ours.filter((one) => !one.passed && reasonFor(one) < 0);
    expect(failing.map(({ id, expression, why }) => `${id}: ${expression}: ${why}`)).toEqual([]);
  });

  it("every departure is one: it has failing tests", () => {
    for (const [index, { reason }] of departures.entries())
      expect(
        ours.some((one) => !one.passed && reasonFor(one) === index),
        reason,
      ).toBe(true);
  });

  it("at least 97 of 100 tests pass, departures from the kinds of numbers left aside", () => {
    const about = ours.filter((one) => one.passed || reasonFor(one) > 2 || reasonFor(one) < 0);
    expect(about.filter(({ passed }) => passed).length / about.length).toBeGreaterThan(0.97);
  });

  it("no test that runs ends in anything but a value or an error of ours", () => {
    expect(ours.filter(({ why }) => why.startsWith("not our error"))).toEqual([]);
  });

  it("the page says how it stands", () => {
    expect(readFileSync(page, "utf8")).toBe(text);
  });
});

function report(all: Outcome[], ours: Outcome[], reasonFor: (one: Outcome) => number): string {
  const sections = [...new Set(ours.map(({ section }) => section))];
  const count = (list: Outcome[]) => list.filter(({ passed }) => passed).length;
  const rows = sections.map((section) => {
    const list = ours.filter((one) => one.section === section);
    const departing = list.filter((one) => !one.passed).length;
    return `| ${section} | ${count(list)} | ${list.length} | ${departing === 0 ? "" : departing} |`;
  });
  const apart = [...new Set(all.filter((one) => one.apart).map((one) => one.apart))].map(
    (reason) => `- ${all.filter((one) => one.apart === reason).length}: ${reason}`,
  );
  const reasons = departures.map(({ reason }, index) => {
    const list = ours.filter((one) => !one.passed && reasonFor(one) === index);
    return `### ${reason}\n\n${list.map(({ id, expression }) => `- \`${id}\`: \`\`${expression.replace(/\s+/g, " ")} \`\``).join("\n")}`;
  });
  return `# Conformance

Made by \`npm run conformance -- --keep\`, which runs the conformance suite of CEL, the Common Expression Language, on our
evaluator: ${count(ours)} of ${ours.length} tests that concern us pass, and each other one fails for a reason below. A test that
expects an error passes only by an error of its sort.

| section | passed | tests | departures |
|---|---:|---:|---:|
${rows.join("\n")}

Left aside, since they are about what we do not have:

${apart.join("\n")}

## Departures

${reasons.join("\n\n")}
`;
}
