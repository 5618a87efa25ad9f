import { describe, expect, it } from "vitest";
import { World } from "../../fakes.test.kit.js";

describe("retrying", () => {
  const file = (retry: string, method = "GET") => `
copper-kettle: 1
name: one
steps:
  - { step: a, request: "${method} https://boards.example/posts"${retry ? `, retry: ${retry}` : ""} }
`;

  it("climbs a ladder of waits, and sleeps in the store for the long ones", async () => {
    const it: World = new World(file("{ waits: [5s, 20s, 1m, 10m], when: status == 404 }"), (_, times) => ({
      status: times < 4 ? 404 : 200,
      body: {},
    }));
    const states: string[] = [];
    for (;;) {
      const result = await it.run();
      states.push(result.state);
      if (result.state !== "waiting") break;
      it.time = result.until as number;
    }
    expect(states).toEqual(["waiting", "waiting", "succeeded"]);
    expect(it.waits).toEqual([5_000, 20_000]);
    const attempts = it.entries().flatMap((entry) => (entry.type === "attempt" ? [entry.wait] : []));
    expect(attempts).toEqual([5_000, 20_000, 60_000, 600_000, undefined]);
  });

  it("obeys Retry-After in seconds and as an HTTP date, over its own waits", async () => {
    const it: World = new World(file("{ times: 2, wait: 1s, jitter: 0 }"), (_, times) => {
      if (times === 0) return { status: 429, headers: { "retry-after": "7" } };
      if (times === 1)
        return { status: 503, headers: { "retry-after": new Date(it.time + 9_010).toUTCString() } };
      return { status: 200 };
    });
    expect((await it.run()).state).toBe("succeeded");
    expect(it.waits[0]).toBe(7_000);
    expect(it.waits[1]).toBeGreaterThan(7_900);
    expect(it.waits[1]).toBeLessThanOrEqual(9_000);
  });

  it("fails with told-to-wait when the response asks for more than the plan allows", async () => {
    const it: World = new World(file("{ times: 3, most: 1m }"), () => ({
      status: 429,
      headers: { "retry-after": "3600" },
    }));
    expect(await it.run()).toMatchObject({
      state: "failed",
      error: { code: "told-to-wait", step: "a", status: 429 },
    });
    expect(it.sent).toHaveLength(1);
  });

  it.each([
    ["POST", "cut", ", idempotency: auto", true],
    ["PUT", "cut", "", true],
    ["GET", "cut", "", false],
    ["POST", "refused", ", idempotency: auto", false],
  ] as const)(
    "%s, first %s%s: says whether an earlier attempt may have been carried out",
    async (method, first, more, says) => {
      let count = 0;
      const it: World = new World(file(`{ times: 2, wait: 10ms }${more}`, method), () =>
        count++ === 0 ? first : { status: 503 },
      );
      const { state, error } = await it.run();
      expect([state, error?.code]).toEqual(["failed", "response"]);
      expect(error?.message.includes("may have been carried out")).toBe(says);
    },
  );

  it("repeats a writing call only when the response proves that it was not taken", async () => {
    const posts = async (status: number, headers: Record<string, string> = {}) => {
      const it: World = new World(file("", "POST"), () => ({ status, headers }));
      expect((await it.runToEnd()).state).toBe("failed");
      return it.sent.length;
    };
    expect(await posts(500)).toBe(1);
    expect(await posts(503)).toBe(1);
    expect(await posts(429)).toBe(4);
    expect(await posts(503, { "retry-after": "1" })).toBe(4);
  });

  it("ends a step whose success expression fails, keeps the response and does not try again", async () => {
    const it: World = new World(
      `
copper-kettle: 1
name: one
steps:
  - { step: a, request: "GET https://boards.example/posts", success: body.okay.yes }
`,
      () => ({ status: 200, body: { ok: true } }),
    );
    const result = await it.run();
    expect(result).toMatchObject({
      state: "failed",
      error: { code: "expression", field: "success", status: 200, body: { ok: true } },
    });
    expect(result.error?.message).toContain('No "okay" in body');
    expect(it.sent).toHaveLength(1);
  });
});
