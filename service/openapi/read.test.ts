import { printJson, type JsonObject } from "@copper-kettle/core";
import { existsSync } from "node:fs";
import { fileURLToPath } from "node:url";
import { describe, expect, it } from "vitest";
import { DocumentReader, readDocument, type DocumentToRead } from "./read.js";

const thread = fileURLToPath(new URL("../dist/openapi/load-thread.js", import.meta.url));
const given = (text: string): DocumentToRead => ({ text, beside: {}, source: null, before: undefined });
/** A document that is long enough for the thread. */
const long = (more: object = {}): string =>
  JSON.stringify({
    openapi: "3.0.3",
    info: { title: "x".repeat(200_000), version: "1" },
    paths: {},
    ...more,
  });

describe("a long document", () => {
  it("is read in a thread, to the same as at once, long numbers too", async () => {
    expect(existsSync(thread)).toBe(true);
    const text = long({ "x-more": [0] }).replace("[0]", "[12345678901234567890]");
    const aside = await new DocumentReader(thread).read(given(text));
    const { document, ...rest } = aside;
    expect(rest).toEqual(await readDocument(given(text)));
    expect(printJson(document as JsonObject)).toBe(aside.json);
    expect(aside.json).toContain("12345678901234567890");
  });

  it("that is no document says why, and the next one is read all the same", async () => {
    const reader = new DocumentReader(thread);
    const [bad, good] = await Promise.allSettled([
      reader.read(given(long({ openapi: "9.9" }))),
      reader.read(given(long())),
    ]);
    expect(bad).toMatchObject({
      status: "rejected",
      reason: { name: "BadDocument", message: expect.stringContaining("OpenAPI 9.9") },
    });
    expect(good.status).toBe("fulfilled");
  });

  it("that takes too long is given up", async () => {
    await expect(new DocumentReader(thread, 1).read(given(long()))).rejects.toThrow("takes too long");
  });
});
