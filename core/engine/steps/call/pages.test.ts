import { describe, expect, it } from "vitest";
import { nextLink, parameterOf, withParameter } from "../../../http/pages.js";
import type { Answer } from "../../fakes.test.kit.js";
import { ended, outcomeOf, urls, world } from "../kit.test.kit.js";

const paged = (pages: string, more = ""): string =>
  `  - { step: all, request: "GET https://a.example/stays?limit=2", pages: ${pages}${more} }\n  - { step: n, note: "\${size(steps.all.items)} \${steps.all.more} \${steps.all.items[0]}" }\n`;
const asked = (url: string, name: string): number => Number(parameterOf(url, name) ?? 0);

describe("pages", () => {
  it.each<[string, string, (url: string) => Answer, string[]]>([
    [
      "by the cursor in the response",
      "{ by: cursor, items: body.items, next: body.next }",
      (url) => ({
        status: 200,
        body: { items: [asked(url, "cursor"), 0], next: [2, 4, null][asked(url, "cursor") / 2] },
      }),
      ["/stays?limit=2", "/stays?limit=2&cursor=2", "/stays?limit=2&cursor=4"],
    ],
    [
      "by the links of RFC 8288",
      "{ by: link }",
      (url) => ({
        status: 200,
        body: [asked(url, "p"), 0],
        headers: asked(url, "p") < 2 ? { link: `<?p=${asked(url, "p") + 1}>; rel="prev next"` } : {},
      }),
      ["/stays?limit=2", "/stays?p=1", "/stays?p=2"],
    ],
    [
      "by number, to a page that is not full",
      "{ by: page, size: 2 }",
      (url) => ({ status: 200, body: asked(url, "page") < 3 ? [0, 0] : [0] }),
      ["/stays?limit=2", "/stays?limit=2&page=2", "/stays?limit=2&page=3"],
    ],
    [
      "by offset, to an empty page",
      "{ by: offset, param: skip }",
      (url) => ({ status: 200, body: asked(url, "skip") < 4 ? [0, 0] : [] }),
      ["/stays?limit=2", "/stays?limit=2&skip=2", "/stays?limit=2&skip=4"],
    ],
  ])("are read to the last one: %s", async (_, pages, answer, calls) => {
    const it = world(paged(pages), ({ url }) => answer(url));
    expect((await it.run()).state).toBe("succeeded");
    expect(urls(it)).toEqual(calls);
    expect(outcomeOf(it, "n")).toMatch(/^[456] false 0$/);
  });

  it("go on where they were after a stop, each page asked for once", async () => {
    const answer = (url: string): Answer => ({
      status: 200,
      body: { items: [asked(url, "cursor")], next: asked(url, "cursor") < 3 ? asked(url, "cursor") + 1 : "" },
    });
    const first = world(paged("{ by: cursor, items: body.items, next: body.next }"), ({ url }) =>
      answer(url),
    );
    await first.run();
    const cut = first.rows.findIndex(({ entry }) => entry.type === "attempt" && entry.leg === 1);
    const second = world(first.file.slice(first.file.indexOf("  - ")), ({ url }) => answer(url));
    second.rows = first.rows.slice(0, cut + 1);
    expect((await second.run()).state).toBe("succeeded");
    expect(urls(second)).toEqual(["/stays?limit=2&cursor=2", "/stays?limit=2&cursor=3"]);
    expect(outcomeOf(second, "n")).toBe("4 false 0");
  });

  it("repeat a page that is throttled, by the plan of the step", async () => {
    const it = world(paged("{ by: page, size: 1 }"), ({ url }, times) =>
      asked(url, "page") === 2 && times === 0
        ? { status: 429, headers: { "retry-after": "3" } }
        : { status: 200, body: asked(url, "page") < 3 ? [0] : [] },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(urls(it)).toHaveLength(4);
    expect(it.waits.some((wait) => wait >= 3_000)).toBe(true);
  });

  it("a page that points to itself, or back, ends the step", async () => {
    const it = world(paged("{ by: link }"), () => ({
      status: 200,
      body: [1],
      headers: { link: '</stays?limit=2>; rel="next"' },
    }));
    expect(await it.run()).toMatchObject({ state: "failed", error: { code: "pages" } });
    expect(it.sent).toHaveLength(1);
  });

  it("end at the number that the step says, and tell that there are more", async () => {
    const it = world(paged("{ by: page, most: 2 }"), () => ({ status: 200, body: [0, 0] }));
    await it.run();
    expect(outcomeOf(it, "n")).toBe("4 true 0");
  });

  it("without a number of their own fail past a thousand: nothing is left out in silence", async () => {
    const it = world(paged("{ by: page }"), () => ({ status: 200, body: [0] }));
    expect(await it.run()).toMatchObject({ error: { code: "too-many-pages" } });
    expect(it.sent).toHaveLength(1_000);
  });

  it("whose items are no list say where they may be", async () => {
    const it = world(paged("{ by: page }"), () => ({ status: 200, body: { items: [] } }));
    expect(await it.run()).toMatchObject({
      error: { code: "not-a-list", message: expect.stringContaining('items: "body.items"') as string },
    });
  });

  it("never take a credential to another origin", async () => {
    const it = world(paged("{ by: link }", ", using: key"), () => ({
      status: 200,
      body: [1],
      headers: { link: '<https://b.example/x>; rel="next"' },
    }));
    it.credentials = { key: { kind: "bearer", token: "a-long-token" } as never };
    expect(await it.run()).toMatchObject({ error: { code: "other-origin" } });
    expect(it.sent).toHaveLength(1);
  });

  it("link fields and query parameters are read as they may be written", () => {
    expect(nextLink('<a,b>; title="x, rel=next", <c>; REL=next')).toBe("c");
    expect(nextLink('<c>; rel="nextt"')).toBeUndefined();
    expect(withParameter("https://a.example/x?b=1&page=2&c#f", "page", "ä")).toBe(
      "https://a.example/x?b=1&page=%C3%A4&c#f",
    );
    expect(parameterOf("https://a.example/x?a%20b=1+2", "a b")).toBe("1 2");
  });
});

describe("until", () => {
  const job = `  - step: close
    request: POST https://a.example/closes
    until: { done: "status == 200 && body.state == 'done'", every: 20s, within: 5m, url: "\${headers.location}" }
  - { step: n, note: "\${steps.close.body.state}" }
`;
  const ledger =
    (looks: number) =>
    ({ method }: { method: string }, times: number): Answer =>
      method === "POST"
        ? { status: 202, headers: { location: "/closes/1" } }
        : { status: 200, body: { state: times < looks ? "working" : "done" } };

  it("looks where the first response says until it is done; the start is sent once", async () => {
    const it = world(job, ledger(3));
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map(({ method }) => method).join(" ")).toBe("POST GET GET GET GET");
    expect(outcomeOf(it, "n")).toBe("done");
  });

  it("goes on looking after a stop, and never starts twice", async () => {
    const it = world(job.replace("20s", "2m"), ledger(1));
    expect((await it.run()).state).toBe("waiting");
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.count("POST")).toBe(1);
  });

  it("that never holds fails clearly after its time", async () => {
    const it = world(job, ledger(1_000));
    expect(await it.runToEnd()).toMatchObject({
      state: "failed",
      error: { code: "not-done", status: 200, message: expect.stringContaining("within 5 min") as string },
    });
  });

  it("waits as long as a response asks", async () => {
    const it = world(job, ({ method }, times) =>
      method === "POST"
        ? { status: 202, headers: { location: "/closes/1", "retry-after": "7" } }
        : { status: 200, body: { state: times === 0 ? "working" : "done" } },
    );
    await it.run();
    expect(it.waits).toEqual([7_000, 20_000]);
  });

  it("with an address that is none ends the step and keeps the response", async () => {
    const it = world(job, () => ({ status: 202 }));
    expect(await it.run()).toMatchObject({ state: "failed", error: { step: "close", status: 202 } });
    expect(ended(it, "close")?.error?.message).toContain("headers");
  });
});
