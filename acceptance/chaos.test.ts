import { execFile } from "node:child_process";
import { join } from "node:path";
import { expect, it } from "vitest";
import { root } from "./kit.js";

it("killed again and again with faults on, the journals say what the stand-in saw", async () => {
  const args = [join(root, "scripts/chaos.mjs"), "--built", "--kills", "6", "--seed", "2041"];
  const said = await new Promise<string>((resolve) => {
    execFile(process.execPath, args, (error, out, err) => resolve(error ? `${out}${err}` : out));
  });
  expect(said).toMatch(/^Seed 2041: killed \d+ times/);
  expect(said).toContain("The journals and the stand-in's log agree.");
  expect(said).toMatch(/[1-9]\d* succeeded/);
}, 170_000);
