import { readFileSync } from "node:fs";
import { createRequire } from "node:module";
import type { Page } from "playwright-core";

const source = readFileSync(createRequire(import.meta.url).resolve("axe-core/axe.min.js"), "utf8");

/** What axe finds serious or critical on a page, a line each. */
export async function faultsOfAccess(page: Page): Promise<string[]> {
  await page.evaluate(source);
  return page.evaluate(async () => {
    interface Found {
      impact: string | null;
      id: string;
      nodes: { target: string[]; any: { message: string }[] }[];
    }
    const { axe } = window as unknown as {
      axe: { run: (where: Document, options: object) => Promise<{ violations: Found[] }> };
    };
    const { violations } = await axe.run(document, { resultTypes: ["violations"] });
    return violations
      .filter(({ impact }) => impact === "serious" || impact === "critical")
      .flatMap(({ id, nodes }) =>
        nodes.slice(0, 3).map(({ target, any }) => `${id} at ${target.join(" ")}: ${any[0]?.message ?? ""}`),
      );
  });
}
