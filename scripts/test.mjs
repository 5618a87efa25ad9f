import { mkdtempSync, readFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { build, fetchNginx, installChromium, installPackages, root, run, say } from "./lib/prepare.mjs";
import { missingServers } from "./lib/real-servers.mjs";

// npm test: installs what is missing, builds, checks types, style and borders, and runs every test.
const folders = ["core", "contract", "service", "cli", "standins", "console/src"];
const bin = (name) => join(root, "node_modules", ".bin", name);
try {
  await installPackages();
  await installChromium();
  await fetchNginx();
  await build();
  say("Checking types …");
  await run(bin("tsc"), ["-p", "tsconfig.tests.json"], { what: "checking types" });
  await run("npm", ["run", "check:types", "-w", "console", "--silent"], { what: "checking types" });
  say("Checking style and folder borders …");
  await run(bin("eslint"), ["."], { what: "linting" });
  await run(bin("depcruise"), ["--config", ".dependency-cruiser.cjs", ...folders], {
    what: "looking for circles",
  });
  await run(bin("prettier"), ["--check", "--log-level", "warn", "."], { what: "checking format" });
  say("Running the tests …");
  const report = join(mkdtempSync(join(tmpdir(), "ckettle-tests-")), "report.json");
  const reporters = ["--reporter=default", "--reporter=json", `--outputFile.json=${report}`];
  try {
    await run(bin("vitest"), ["run", ...reporters, ...process.argv.slice(2)], { loud: true });
  } finally {
    const { numPassedTests, numFailedTests } = JSON.parse(readFileSync(report, "utf8"));
    const missing = missingServers().map(({ name }) => name);
    if (missing.length > 0)
      say(`Not run, since the machine has none of them: ${missing.join(", ")}. npm run real installs them.`);
    console.log(`${numPassedTests} passed, ${numFailedTests} failed`);
  }
} catch (error) {
  say(error.message);
  process.exit(1);
}
