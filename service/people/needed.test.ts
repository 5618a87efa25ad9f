import { readApi, readWorkflow, type JsonObject, type Workflow } from "@copper-kettle/core";
import { expect, it } from "vitest";
import { neededBy } from "./needed.js";

it("a version needs the hosts that its calls go to, those of operations with servers of their own among them", () => {
  const api = readApi({
    openapi: "3.1.1",
    servers: [{ url: "https://stays.example" }],
    paths: {
      "/guests": { get: { operationId: "guests" } },
      "/scans": { post: { operationId: "scan", servers: [{ url: "https://files.example/v1" }] } },
    },
  } as unknown as JsonObject);
  const apis = { get: (name: string) => (name === "stays" ? { api } : undefined) } as never;
  const hosts = (operation: string): string[] => {
    const { workflow } = readWorkflow(
      `copper-kettle: 1\nname: w\nsteps: [{ step: a, operation: stays.${operation} }]\n`,
    );
    return neededBy(workflow as Workflow, { apis, constants: {} })
      .filter(({ kind }) => kind === "host")
      .map(({ name }) => name);
  };
  expect(hosts("guests")).toEqual(["stays.example"]);
  expect(hosts("scan")).toEqual(["files.example"]);
});
