import { routes } from "@copper-kettle/contract";
import { readdirSync, readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";

/** The route files of a folder, with the names of the routes in each. */
function routesIn(folder: string, pattern: RegExp): Record<string, string[]> {
  const path = fileURLToPath(new URL(folder, import.meta.url));
  const files = readdirSync(path).filter(
    (file) => file.endsWith(".ts") && !/^(index|common|.*\.test)\.ts$/.test(file),
  );
  return Object.fromEntries(
    files.map((file) => [
      file,
      [...readFileSync(`${path}/${file}`, "utf8").matchAll(pattern)].map(([, name]) => name as string).sort(),
    ]),
  );
}

describe("the routes of the service", () => {
  const declared = routesIn("../../../contract/routes", /^ {2}(\w+): route\(/gm);
  const served = routesIn(".", /serve\(app, routes\.(\w+)/g);

  it("are declared and served in files of the same names, one noun each", () => {
    expect(served).toEqual(declared);
  });

  it("are all served, each once", () => {
    expect(Object.values(served).flat().sort()).toEqual(Object.keys(routes).sort());
  });
});
