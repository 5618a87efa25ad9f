import { describe, expect, it } from "vitest";
import type { Answer, Responder } from "../../fakes.test.kit.js";
import { decide, ended, outcomeOf, urls, world } from "../kit.test.kit.js";

const call = (more: string): string =>
  `  - { step: made, request: POST https://a.example/guests, body: { json: { a: 1 } }${more} }\n`;
/** The first sends are cut after they were taken. */
const cutting =
  (cuts: number, answer: Answer = { status: 201, body: { id: "g-1" } }): Responder =>
  ({ method }, times) =>
    method === "POST" && times < cuts ? "cut" : answer;

describe("a call that nobody knows the fate of", () => {
  it("with a key of its own is sent again, with the same key, and once more after a stop", async () => {
    const it = world(call(", idempotency: auto"), cutting(2));
    expect((await it.run()).state).toBe("succeeded");
    const keys = it.sent.map(({ headers }) => headers.find(([name]) => name === "Idempotency-Key")?.[1]);
    expect(keys).toHaveLength(3);
    expect(new Set(keys).size).toBe(1);
    expect(keys[0]).toMatch(/^[0-9a-f-]{36}$/);
  });

  it.each([
    [
      "a query parameter",
      "{ key: k-1, in: query, name: once }",
      (it: ReturnType<typeof world>) => urls(it)[0],
      "/guests?once=k-1",
    ],
    [
      "a field of the body",
      "{ in: body, key: '${run.id}', name: ref }",
      (it: ReturnType<typeof world>) => it.sent[0]?.body,
      '{"a":1,"ref":"run-1"}',
    ],
  ])("may carry its key in %s", async (_, idempotency, read, value) => {
    const it = world(call(`, idempotency: ${idempotency}`), cutting(0));
    await it.run();
    expect(read(it)).toBe(value);
  });

  it("is repeated where the step says so", async () => {
    const it = world(call(", if-unsure: repeat"), cutting(1));
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent).toHaveLength(2);
  });

  it("fails the step where it says so, which can be caught", async () => {
    const it = world(`${call(", if-unsure: fail, catch: [{ step: c, note: '${error.code}' }]")}`, cutting(1));
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "made!catch/c")).toBe("unsure");
    expect(it.sent).toHaveLength(1);
  });

  const probe = `, probe: { request: GET https://a.example/guests, happened: "size(body.items) > 0", outcome: "body.items[0]" }`;
  const read = '  - { step: n, note: "${steps.made.body.id}" }\n';

  it("is found by its probe: it happened, and the rest goes on with what was found", async () => {
    const it = world(call(probe) + read, ({ method }) =>
      method === "POST" ? "cut" : { status: 200, body: { items: [{ id: "g-7" }] } },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.count("POST")).toBe(1);
    expect(outcomeOf(it, "n")).toBe("g-7");
    expect(it.entries().find(({ type }) => type === "decided")).toMatchObject({
      by: "probe",
      decision: "happened",
    });
  });

  it("is not found by its probe: it is sent again", async () => {
    const it = world(call(probe) + read, ({ method }, times) =>
      method === "GET"
        ? { status: 200, body: { items: [] } }
        : times === 0
          ? "cut"
          : { status: 201, body: { id: "g-2" } },
    );
    expect((await it.run()).state).toBe("succeeded");
    expect(it.count("POST")).toBe(2);
    expect(outcomeOf(it, "n")).toBe("g-2");
  });

  it("whose probe fails waits for a person", async () => {
    const it = world(call(probe) + read, ({ method }) => (method === "POST" ? "cut" : { status: 403 }));
    expect((await it.run()).state).toBe("unsure");
    decide(it, "made", "skip");
    expect((await it.run()).error?.code).toBe("expression");
  });
});

describe("a response that leaves open what became of the call", () => {
  const behind =
    (status: number, times = 1): Responder =>
    ({ method }, sent) =>
      method === "POST" && sent < times ? { status, body: "Gateway" } : { status: 201, body: { id: "g-1" } };

  it.each([502, 504])("%i of a gateway is unsure where the call writes", async (status) => {
    const it = world(call(""), behind(status));
    expect((await it.run()).state).toBe("unsure");
    const unsure = it.entries().find(({ type }) => type === "unsure");
    expect(unsure).toMatchObject({ cause: "gateway", response: { status, body: "Gateway" } });
    expect(unsure).toHaveProperty("reason", expect.stringMatching(/^50[24] .*does not know/));
    decide(it, "made", "again");
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent).toHaveLength(2);
  });

  it("is repeated with a key, or where the step says that it may be", async () => {
    for (const more of [", idempotency: auto", ", if-unsure: repeat", ", retry: { when: status == 504 }"]) {
      const it = world(call(more), behind(504));
      expect((await it.run()).state).toBe("succeeded");
      expect(it.sent).toHaveLength(2);
    }
  });

  it("is unsure in the end, however often the step said to repeat it", async () => {
    const it = world(call(", retry: { times: 2, when: status == 504 }"), behind(504, 9));
    expect((await it.run()).state).toBe("unsure");
    expect(it.sent).toHaveLength(3);
  });

  it("can be caught, and a 500 stays a failure", async () => {
    const caught = ", if-unsure: fail, catch: [{ step: c, note: '${error.code}' }]";
    const it = world(call(caught), behind(504));
    expect((await it.run()).state).toBe("succeeded");
    expect(outcomeOf(it, "made!catch/c")).toBe("unsure");
    expect((await world(call(""), behind(500)).run()).state).toBe("failed");
  });

  const put = (condition: string): string =>
    `  - { step: made, request: PUT https://a.example/notes/1, headers: { ${condition} }, body: { json: { a: 1 } } }
  - { step: n, note: "\${steps.made.status} \${steps.made.body.a}" }
`;
  /** The first send is carried out and cut; the repeat finds what it made. */
  const cutThenRefused =
    (there: Answer): Responder =>
    ({ method }, times) =>
      method === "GET" ? there : times === 0 ? "cut" : { status: 412, body: "Precondition failed" };

  it.each(["If-None-Match: '*'", "If-Match: '\"v1\"'"])(
    "412 to a repeat with %s is settled by what is there",
    async (condition) => {
      const same = world(put(condition), cutThenRefused({ status: 200, body: { a: 1 } }));
      expect((await same.run()).state).toBe("succeeded");
      expect(outcomeOf(same, "n")).toBe("200 1");
      expect(same.sent.map(({ method }) => method)).toEqual(["PUT", "PUT", "GET"]);
      const other = world(put(condition), cutThenRefused({ status: 200, body: { a: 2 } }));
      expect((await other.run()).state).toBe("unsure");
      expect(other.entries().find(({ type }) => type === "unsure")).toMatchObject({ cause: "precondition" });
      decide(other, "made", "skip");
      await other.run();
      expect(other.count("PUT")).toBe(2);
    },
  );

  it("412 to a first send is a failure", async () => {
    const it = world(put("If-None-Match: '*'"), () => ({ status: 412 }));
    expect((await it.run()).state).toBe("failed");
    expect(it.sent).toHaveLength(1);
  });

  it("412 to a repeated deletion of what is gone is a success", async () => {
    const file = `  - { step: made, request: DELETE https://a.example/notes/1, headers: { If-Match: x } }\n`;
    const it = world(file, cutThenRefused({ status: 404 }));
    expect((await it.run()).state).toBe("succeeded");
  });
});

describe("ensure", () => {
  const file = `  - step: guest
    ensure:
      find: { request: "GET https://a.example/guests" }
      record: body.items
      create: { request: POST https://a.example/guests, body: { json: { a: 1 } } }
      update: { request: "PATCH https://a.example/guests/\${record.id}", body: { json: { hut: corrie } } }
      update-if: record.hut != "corrie"
      lock: guest-1
  - { step: n, note: "\${steps.guest.existed} \${steps.guest.created} \${steps.guest.changed} \${steps.guest.record.id}" }
`;
  const found =
    (...items: unknown[]): Responder =>
    ({ method }) =>
      method === "GET" ? { status: 200, body: { items } } : { status: 200, body: { id: `by ${method}` } };

  it.each<[string, Responder, string, string]>([
    ["creates what is not there", found(), "GET POST", "false true false by POST"],
    ["leaves what is as it should be", found({ id: 1, hut: "corrie" }), "GET", "true false false 1"],
    ["changes what is not", found({ id: 1, hut: "eyrie" }), "GET PATCH", "true false true by PATCH"],
    [
      "takes 404 as none",
      ({ method }) => (method === "GET" ? { status: 404 } : { status: 201, body: { id: 5 } }),
      "GET POST",
      "false true false 5",
    ],
    [
      "looks again where the creation says that another was quicker",
      ({ method }, times) =>
        method === "POST"
          ? { status: 409 }
          : { status: 200, body: { items: times === 0 ? [] : [{ id: 9, hut: "corrie" }] } },
      "GET POST GET",
      "true false false 9",
    ],
  ])("%s", async (_, respond, calls, note) => {
    const it = world(file, respond);
    expect((await it.run()).state).toBe("succeeded");
    expect(it.sent.map(({ method }) => method).join(" ")).toBe(calls);
    expect(outcomeOf(it, "n")).toBe(note);
    expect(it.locks.size).toBe(0);
  });

  it("fails where several fit, or takes the first where it may", async () => {
    const two = found({ id: 1, hut: "corrie" }, { id: 2 });
    expect(await world(file, two).run()).toMatchObject({ state: "failed", error: { code: "many" } });
    const first = world(file.replace("lock: guest-1", "many: first"), two);
    await first.run();
    expect(outcomeOf(first, "n")).toBe("true false false 1");
  });

  it("waits while another step holds its name, and is woken by whoever gives it back", async () => {
    const it = world(file, found());
    it.locks.set("guest-1", "another run");
    expect(await it.run()).toMatchObject({ state: "waiting" });
    expect(it.sent).toEqual([]);
    it.locks.delete("guest-1");
    expect((await it.run()).state).toBe("succeeded");
  });

  it("keeps the name while its creation is unsure, and looks before it sends again", async () => {
    let there = false;
    const it = world(file, ({ method }) => {
      if (method === "GET") return { status: 200, body: { items: there ? [{ id: 3, hut: "corrie" }] : [] } };
      there = true;
      return "cut";
    });
    expect((await it.run()).state).toBe("unsure");
    expect(it.locks.get("guest-1")).toBe("guest");
    decide(it, "guest/create", "again");
    expect((await it.run()).state).toBe("succeeded");
    expect(it.count("POST")).toBe(1);
    expect(outcomeOf(it, "n")).toBe("true false false 3");
    expect(ended(it, "guest")?.outcome).toMatchObject({ record: { id: 3 } });
  });
});
