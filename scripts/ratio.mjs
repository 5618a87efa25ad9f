import { execFileSync } from "node:child_process";
import { existsSync, readFileSync } from "node:fs";
import { join } from "node:path";
import { root } from "./lib/prepare.mjs";

// npm run ratio: lines that are not blank, by folder, and how many of them are tests.
const files = execFileSync(
  "git",
  ["ls-files", "--cached", "--others", "--exclude-standard", "--", "*.ts", "*.vue", "*.mjs", "*.js"],
  { cwd: root, encoding: "utf8" },
)
  .split("\n")
  .filter((file) => file && !file.endsWith(".d.ts") && existsSync(join(root, file)));
const isTest = (file) => /\.test\.|^acceptance\//.test(file);
const byFolder = new Map();
for (const file of files) {
  const folder = file.includes("/") ? file.split("/")[0] : ".";
  const lines = readFileSync(join(root, file), "utf8")
    .split("\n")
    .filter((line) => line.trim() !== "").length;
  const counts = byFolder.get(folder) ?? { code: 0, tests: 0 };
  counts[isTest(file) ? "tests" : "code"] += lines;
  byFolder.set(folder, counts);
}
const row = (name, code, tests) =>
  console.log(
    `${name.padEnd(12)} ${String(code).padStart(7)} ${String(tests).padStart(7)} ${String(code + tests === 0 ? 0 : Math.round((100 * tests) / (code + tests))).padStart(5)} %`,
  );
console.log("folder          code   tests   tests");
let code = 0;
let tests = 0;
for (const [folder, counts] of [...byFolder].sort()) {
  row(folder, counts.code, counts.tests);
  code += counts.code;
  tests += counts.tests;
}
row("all", code, tests);
