import { describe, expect, it } from "vitest";
import { bodyOfAttempt } from "../../page-body.js";
import { printJson } from "../../../values/json.js";
import { readWorkflow } from "../../../workflows/read.js";
import type { Answer } from "../../fakes.test.kit.js";
import { ended, finished, outcomeOf, world } from "../kit.test.kit.js";

const call = (request: string, more = "", note = "${steps.a.body}"): string =>
  `  - { step: a, request: ${request}${more} }\n  - { step: n, note: "${note}" }\n`;
const get = "GET https://a.example/x";
const post = "POST https://a.example/x";
const bodies = (it: ReturnType<typeof world>): unknown[] =>
  it.sent.map(({ body }) => (typeof body === "string" && body.startsWith("{") ? JSON.parse(body) : body));
/** What a step printed, as JSON. */
const shown = (it: ReturnType<typeof world>): string => printJson(outcomeOf(it, "n") ?? null);
const problemsOf = (steps: string): string =>
  readWorkflow(`copper-kettle: 1\nname: test\nsteps:\n${steps}`)
    .problems.map(({ message }) => message)
    .join(" ");

describe("pages whose mark is not in the query", () => {
  const answer = (mark: unknown): Answer => {
    const at = Number(mark ?? 0);
    return { status: 200, body: { rows: { items: [at] }, next: at < 2 ? at + 1 : null, total: 3 } };
  };
  const pages = (where: string, param: string): string =>
    `, pages: { by: cursor, in: ${where}, param: ${param}, items: body.rows.items, next: body.next }`;
  const note = "${steps.a.items} ${steps.a.body.total}";

  it("are asked for by a field of the body, at any depth", async () => {
    const more = `, body: { json: { page: { size: 1 } } }, effect: reads${pages("body", "page.after")}`;
    const it = world(call(post, more, note), ({ body }) =>
      answer((JSON.parse(String(body)) as { page: { after?: number } }).page.after),
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(bodies(it)).toEqual([
      { page: { size: 1 } },
      { page: { size: 1, after: 1 } },
      { page: { size: 1, after: 2 } },
    ]);
    expect(outcomeOf(it, "n")).toBe("[0,1,2] 3");
  });

  it("or by a header, and go on where they were after a stop", async () => {
    const respond = ({ headers }: { headers: [string, string][] }): Answer =>
      answer(headers.find(([name]) => name === "X-After")?.[1]);
    const file = call(get, pages("header", "X-After"), note);
    const first = world(file, respond);
    await first.run();
    const cut = first.rows.findIndex(({ entry }) => entry.type === "attempt" && entry.leg === 1);
    const second = world(file, respond);
    second.rows.push(...first.rows.slice(0, cut + 1));
    expect((await second.run()).state).toBe("succeeded");
    expect(second.sent).toHaveLength(1);
    expect(outcomeOf(second, "n")).toBe("[0,1,2] 3");
  });

  it("end where a page points back", async () => {
    const it = world(call(get, pages("header", "X-After")), () => ({
      status: 200,
      body: { rows: { items: [1] }, next: 7 },
    }));
    await it.run();
    expect(finished(it)?.error).toMatchObject({
      code: "pages",
      message: expect.stringContaining("X-After: 7"),
    });
    expect(it.sent).toHaveLength(2);
  });

  it("keep what is around the items in the journal, and the items once", async () => {
    const it = world(call(get, pages("header", "X-After")), ({ headers }) =>
      answer(headers.find(([name]) => name === "X-After")?.[1]),
    );
    await it.run();
    const attempts = it.entries().filter((entry) => entry.type === "attempt");
    expect(attempts.map(({ response, items, itemsAt }) => [response?.body, items, itemsAt])).toEqual([
      [{ rows: { items: [] }, next: 1, total: 3 }, [0], ["rows", "items"]],
      [{ rows: { items: [] }, next: 2, total: 3 }, [1], ["rows", "items"]],
      [{ rows: { items: [2] }, next: null, total: 3 }, [2], undefined],
    ]);
    expect(attempts.map(bodyOfAttempt)).toEqual([
      { rows: { items: [0] }, next: 1, total: 3 },
      { rows: { items: [1] }, next: 2, total: 3 },
      { rows: { items: [2] }, next: null, total: 3 },
    ]);
  });

  it("in a body need one in JSON", () => {
    expect(problemsOf(call(post, pages("body", "after")))).toContain("JSON body");
  });
});

describe("a list of unknown length", () => {
  it("is gathered until it is done", async () => {
    const until = ', until: { done: "body.done", every: 1s, collect: body.items }';
    const it = world(call(get, until, "${steps.a.items}"), (_request, times) => ({
      status: 200,
      body: { items: [times], done: times === 2 },
    }));
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(shown(it)).toBe("[0,1,2]");
    expect(it.sent).toHaveLength(3);
  });
});

describe("a wait that the response asks for in its body", () => {
  it.each([
    ["body.retry_after_ms / 1000", { retry_after_ms: 7_000 }],
    ["body.wait", { wait: "7s" }],
  ])("%s is obeyed, and the rate limit is told", async (after, body) => {
    const it = world(call(get, `, retry: { after: ${after} }`), (_request, times) =>
      times === 0 ? { status: 429, body } : { status: 200, body: 1 },
    );
    const begin = it.time;
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.time - begin).toBeGreaterThanOrEqual(7_000);
    expect(it.toldOfLimits[0]).toBe("7");
  });

  it("that is none fails the step, and one that is missing leaves the plan's own", async () => {
    const it = world(call(get, ", retry: { after: body.odd }"), () => ({ status: 429, body: { odd: [] } }));
    await it.runToEnd();
    expect(finished(it)?.error).toMatchObject({ code: "bad-value" });
    const plain = world(call(get, ', retry: { after: "body.?odd.orValue(null)" }'), (_request, times) =>
      times === 0 ? { status: 503, body: {} } : { status: 200 },
    );
    expect((await plain.runToEnd()).state).toBe("succeeded");
  });
});

describe("how a body is read", () => {
  const text = "id;name\n1;Bjørk\n";
  it.each<[string, string, string, string]>([
    [
      "json-lines",
      '{"a":1}\n\n{"a":12345678901234567890}\n',
      "application/octet-stream",
      '[{"a":1},{"a":12345678901234567890}]',
    ],
    ["{ csv: { separator: ';' } }", text, "text/plain", '[{"id":"1","name":"Bjørk"}]'],
    ["{ csv: { header: false } }", "a,b\nc,d\n", "text/csv", '[["a","b"],["c","d"]]'],
    [
      "events",
      ": hello\ndata: one\ndata: two\n\nevent: end\nid: 7\ndata: x\n\ndata: open",
      "text/event-stream",
      '[{"event":"message","data":"one\\ntwo","id":""},{"event":"end","data":"x","id":"7"}]',
    ],
  ])("read: %s", async (read, body, type, expected) => {
    const it = world(call(get, `, read: ${read}`), () => ({
      status: 200,
      text: body,
      headers: { "content-type": type },
    }));
    expect((await it.run()).state).toBe("succeeded");
    expect(shown(it)).toBe(expected);
  });

  it("a line that is no JSON is named, and fails the step", async () => {
    const it = world(call(get, ", read: json-lines"), () => ({ status: 200, text: "1\n{broken\n" }));
    await it.run();
    expect(finished(it)?.error).toMatchObject({
      code: "bad-response",
      message: expect.stringContaining("line 2 is not JSON"),
    });
  });

  it("ends as soon as stop-when is true of an event, and no more is read", async () => {
    const more = ', read: json-lines, stop-when: "event.done"';
    const it = world(call(get, more, "${steps.a.items} ${steps.a.more}"), () => ({
      status: 200,
      text: `{"done":false}\n{"done":true}\n${'{"done":false}\n'.repeat(50)}`,
    }));
    expect((await it.run()).state).toBe("succeeded");
    expect(String(outcomeOf(it, "n"))).toMatch(/^\[\{"done":false\},\{"done":true\}/);
    expect(String(outcomeOf(it, "n")).match(/done/g)?.length).toBeLessThan(5);
  });

  it("says what is wrong with stop-when", async () => {
    expect(problemsOf(call(get, ", stop-when: 'true'"))).toContain("read: events");
    const it = world(call(get, ', read: json-lines, stop-when: "event.none.x"'), () => ({
      status: 200,
      text: '{"a":1}\n',
    }));
    await it.run();
    expect(finished(it)?.error?.message).toContain('"stop-when"');
  });
});

describe("what a body is made of", () => {
  it.each<[string, string, string]>([
    ["{ json-lines: [{ a: 1 }, 2] }", '{"a":1}\n2\n', "application/x-ndjson"],
    [
      "{ xml: { guest: { '@id': 7, name: 'Bjørk & Co', tag: [a, b], none: null } } }",
      '<?xml version="1.0" encoding="UTF-8"?>\n<guest id="7"><name>Bjørk &amp; Co</name><tag>a</tag><tag>b</tag></guest>',
      "application/xml",
    ],
    ["{ xml: '<a/>' }", "<a/>", "application/xml"],
    [
      "{ graphql: { query: 'query { huts { id } }', variables: { n: 1 } } }",
      '{"query":"query { huts { id } }","variables":{"n":1}}',
      "application/json",
    ],
  ])("%s", async (body, sent, type) => {
    const it = world(call(post, `, body: ${body}`));
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent[0]?.body).toBe(sent);
    expect(it.sent[0]?.headers.find(([name]) => name === "Content-Type")?.[1]).toBe(type);
  });

  it.each(["{ xml: { a: 1, b: 2 } }", "{ xml: { 'a b': 1 } }", "{ json-lines: 7 }"])(
    "%s is refused",
    async (body) => {
      const it = world(call(post, `, body: ${body}`));
      await it.run();
      expect(finished(it)?.error).toMatchObject({ code: "bad-request" });
      expect(it.sent).toHaveLength(0);
    },
  );

  it("errors of GraphQL are a failure, unless success says otherwise", async () => {
    const answer = (): Answer => ({
      status: 200,
      body: { errors: [{ message: "No such field" }], data: null },
    });
    const body = ", body: { graphql: { query: '{ huts }' } }";
    const it = world(call(post, body), answer);
    expect((await it.run()).state).toBe("failed");
    expect(finished(it)?.error?.message).toContain("No such field");
    expect((await world(call(post, `${body}, success: status == 200`), answer).run()).state).toBe(
      "succeeded",
    );
  });
});

describe("a call that depends on what an earlier step read", () => {
  const file = (more: string, method = "GET"): string =>
    `  - { step: read, request: GET https://a.example/note }\n${call(`${method} https://a.example/note`, more, "${steps.a.?unchanged.orValue(false)} ${steps.a.body}")}`;
  const tagged: Answer = { status: 200, body: { text: "hi" }, headers: { etag: '"v1"' } };
  const sent = (it: ReturnType<typeof world>, name: string): string | undefined =>
    it.sent[1]?.headers.find(([field]) => field === name)?.[1];

  it("gets the earlier body where nothing has changed", async () => {
    const it = world(file(", if-none-match: steps.read"), (_request, times) =>
      times === 0 ? tagged : { status: 304 },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(sent(it, "If-None-Match")).toBe('"v1"');
    expect(outcomeOf(it, "n")).toBe('true {"text":"hi"}');
  });

  it("falls back to the time of the last change, and to no condition where there is neither", async () => {
    const time = "Tue, 15 Nov 2026 12:45:26 GMT";
    const byTime = world(file(", if-none-match: steps.read"), () => ({
      ...(tagged as object),
      status: 200,
      headers: { "last-modified": time },
    }));
    await byTime.run();
    expect(sent(byTime, "If-Modified-Since")).toBe(time);
    const none = world(file(", if-match: steps.read", "PUT"), () => ({ status: 200, body: 1 }));
    expect((await none.run()).state).toBe("succeeded");
    expect(sent(none, "If-Match")).toBeUndefined();
  });

  it("fails with changed-since, and names the step that read it", async () => {
    const it = world(file(", if-match: steps.read", "PUT"), ({ method }) =>
      method === "GET" ? tagged : { status: 412 },
    );
    await it.run();
    expect(finished(it)?.error).toMatchObject({
      code: "changed-since",
      status: 412,
      message: expect.stringContaining("steps.read"),
    });
  });
});

describe("redirects", () => {
  const leadsTo =
    (status: number, location: string) =>
    ({ url }: { url: string }): Answer =>
      url.endsWith("/x") ? { status, headers: { location } } : { status: 200, body: "there" };
  const ways = (it: ReturnType<typeof world>): string[] =>
    it.sent.map(({ method, url }) => `${method} ${url}`);

  it("after 303 a writing call looks at the other place", async () => {
    const it = world(call(post, ", body: { json: 1 }"), leadsTo(303, "/done"));
    expect((await it.run()).state).toBe("succeeded");
    expect(ways(it)).toEqual(["POST https://a.example/x", "GET https://a.example/done"]);
    expect(it.sent[1]?.body).toBeUndefined();
  });

  it.each([301, 302, 307, 308])("%i fails a writing call and names the place", async (status) => {
    const it = world(call(post, ", body: { json: 1 }"), leadsTo(status, "/new"));
    await it.run();
    expect(finished(it)?.error).toMatchObject({
      code: "redirected",
      status,
      message: expect.stringContaining("/new"),
    });
    expect(it.sent).toHaveLength(1);
  });

  it("resend sends the same to the same origin, and nowhere else", async () => {
    const more = ", body: { json: 1 }, redirects: resend";
    const it = world(call(post, more), leadsTo(308, "/new"));
    expect((await it.run()).state).toBe("succeeded");
    expect(ways(it)).toEqual(["POST https://a.example/x", "POST https://a.example/new"]);
    expect(it.sent[1]?.body).toBe("1");
    const away = world(call(post, more), leadsTo(308, "https://b.example/new"));
    expect((await away.run()).state).toBe("failed");
    expect(away.sent).toHaveLength(1);
  });

  it("none follows none", async () => {
    const it = world(call(get, ", redirects: none"), leadsTo(302, "/new"));
    await it.run();
    expect(finished(it)?.error?.code).toBe("redirected");
  });
});

describe("several credentials", () => {
  it("are applied in their order, and two that set one place are refused", async () => {
    const it = world(call(get, ", using: [key, user]"));
    it.credentials = {
      key: { kind: "api-key", parts: [{ place: "header", name: "X-Key", prefix: "", secret: "k-1" }] },
      user: { kind: "basic", user: "ann", password: "pw" },
    };
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent[0]?.headers.map(([name]) => name)).toEqual(
      expect.arrayContaining(["X-Key", "Authorization"]),
    );
    const twice = world(call(get, ", using: [one, two]"));
    twice.credentials = {
      one: { kind: "bearer", token: "a" },
      two: { kind: "basic", user: "b", password: "c" },
    };
    await twice.run();
    expect(finished(twice)?.error?.message).toContain("set the same header Authorization");
    expect(problemsOf(call(get, ", using: [key, key]"))).toContain("named twice");
  });
});

describe("methods", () => {
  it("of WebDAV have their effect, and others need one", async () => {
    const it = world(call("PROPFIND https://a.example/cal/", ", body: { xml: '<a/>' }"), (_request, times) =>
      times === 0 ? "cut" : { status: 207 },
    );
    expect((await it.runToEnd()).state).toBe("succeeded");
    expect(it.count("PROPFIND")).toBe(2);
    expect((await world(call("MKCALENDAR https://a.example/cal/"), () => "cut").run()).state).toBe("unsure");
    expect(problemsOf(call("PURGE https://a.example/x"))).toContain('Say what PURGE does, as "effect"');
    expect(problemsOf(call("PURGE https://a.example/x", ", effect: repeatable"))).toBe("");
    expect(problemsOf(call("get https://a.example/x"))).toContain("in capitals");
    expect(ended(it, "a")?.error).toBeUndefined();
  });
});
