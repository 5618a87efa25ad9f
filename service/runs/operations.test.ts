import { readApi, type JsonObject } from "@copper-kettle/core";
import { describe, expect, it } from "vitest";
import { describedOperation } from "./operations.js";

const json = { "content-type": "application/json" };
const document = (type: string, more: JsonObject = {}): JsonObject => ({
  openapi: "3.1.0",
  info: { title: "Stays", version: "1" },
  servers: [{ url: "https://stays.huts.example" }],
  "x-ckettle-credential": "stays-key",
  paths: {
    "/guests/{id}": {
      get: {
        operationId: "guest",
        parameters: [{ name: "id", in: "path", required: true, schema: { type: "string" } }],
        responses: {
          "200": {
            description: "The guest.",
            content: { "application/json": { schema: { type: "object", properties: { beds: { type } } } } },
          },
        },
      },
    },
  },
  ...more,
});

/** An API with two revisions: in the first beds are numbers, in the second texts. */
function world(second: JsonObject = document("string")) {
  const revisions = [document("number"), second];
  const open = revisions.map((one, index) => ({ document: one, api: readApi(one), revision: index + 1 }));
  const noted: unknown[] = [];
  return {
    noted,
    parts: {
      apis: {
        revision: async (name: string, revision = 2) => (name === "stays" ? open[revision - 1] : undefined),
        get: (name: string) => (name === "stays" ? open[1] : undefined),
      } as never,
      drift: {
        note: (where: object, found: unknown[]) => void (found.length > 0 && noted.push({ ...where, found })),
      } as never,
    },
  };
}
const guest = (revision?: number) => ({ api: "stays", id: "guest", revision });

describe("an operation as a run calls it", () => {
  it("is the one of the revision that the run names, with its server and its credential", async () => {
    const { parts } = world();
    const [first, second] = [1, 2].map((revision) => describedOperation(parts, "r1", guest(revision)));
    expect(await first).toMatchObject({ server: "https://stays.huts.example", credential: "stays-key" });
    expect((await first)?.example?.()).toEqual({ status: 200, body: { beds: 1 } });
    expect((await second)?.example?.()).toEqual({ status: 200, body: { beds: "text" } });
  });

  it("tells departures by its own revision, and notes those of the current one only", async () => {
    const { parts, noted } = world();
    const answer = { status: 200, headers: json, body: { beds: "four" } };
    const old = await describedOperation(parts, "r1", guest(1));
    expect(old.mismatches?.(answer)).toMatchObject([{ path: "beds" }]);
    expect(noted).toEqual([]);
    const current = await describedOperation(parts, "r2", guest());
    expect(current.mismatches?.(answer)).toEqual([]);
    expect(current.mismatches?.({ ...answer, body: { beds: 4 } })).toHaveLength(1);
    expect(noted).toMatchObject([{ api: "stays", operation: "guest", status: 200, run: "r2" }]);
  });

  it.each([
    [
      { api: "boards", id: "x", revision: undefined },
      /There is no API "boards"; describe it with: ckettle api add boards/,
    ],
    [{ api: "stays", id: "guests", revision: undefined }, /The API stays has no operation "guests"/],
  ])("%j is missing, and what to do is said", async (wanted, words) => {
    await expect(describedOperation(world().parts, "r1", wanted)).rejects.toThrow(words);
  });

  it("is of no use without a server", async () => {
    const { parts } = world(document("string", { servers: [] }));
    await expect(describedOperation(parts, "r1", guest())).rejects.toThrow(/names no server; give one with/);
  });
});
