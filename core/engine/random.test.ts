import fc from "fast-check";
import { describe, expect, it } from "vitest";
import type { Entry } from "./entries.js";
import { Killed, World, type Answer } from "./fakes.test.kit.js";

/** A random workflow: a tree of steps of every kind, as lines of YAML. */
type Shape =
  | {
      kind:
        | "read"
        | "write"
        | "put"
        | "set"
        | "note"
        | "nap"
        | "sleep"
        | "deny"
        | "left-out"
        | "remember"
        | "pages"
        | "until";
    }
  | { kind: "if" | "each" | "group" | "together"; parallel: number; inner: Shape[] };

const leaf = fc
  .constantFrom(
    "read",
    "write",
    "put",
    "set",
    "note",
    "nap",
    "sleep",
    "deny",
    "left-out",
    "remember",
    "pages",
    "until",
  )
  .map((kind) => ({ kind }) as Shape);
const shapes: fc.Arbitrary<Shape[]> = fc.letrec<{ list: Shape[]; shape: Shape }>((tie) => ({
  shape: fc.oneof(
    { depthSize: "small" },
    leaf,
    fc.record({
      kind: fc.constantFrom("if" as const, "each" as const, "group" as const, "together" as const),
      parallel: fc.integer({ min: 1, max: 3 }),
      inner: tie("list"),
    }),
  ),
  list: fc.array(tie("shape"), { minLength: 1, maxLength: 4 }),
})).list;

class Writer {
  #names = 0;
  lines: string[] = [];

  write(
    list: Shape[],
    indent: string,
    inLoop: { parallel: number } | undefined,
    indexed = inLoop !== undefined,
  ): void {
    for (const shape of list) {
      const name = `s${this.#names++}`;
      const where = indexed ? "?i=${index}" : "";
      const line = (text: string): number => this.lines.push(`${indent}- { step: ${name}, ${text} }`);
      switch (shape.kind) {
        case "read":
          line(`request: "GET https://stays.example/${name}${where}"`);
          break;
        case "write":
          line(
            `request: "POST https://stays.example/${name}${where}", body: { json: { key: "\${uuid()}", at: "\${now()}" } }`,
          );
          break;
        case "put":
          line(
            `request: "PUT https://stays.example/${name}${where}", retry: { waits: [1s, 40s], when: status == 404 }`,
          );
          break;
        case "set":
          line(
            inLoop && inLoop.parallel > 1
              ? "note: no variables here"
              : `set: { ${name}: "\${now()}", id: "\${uuid()}" }`,
          );
          break;
        case "note":
          line(`note: "at \${now()} with \${size(variables)}"`);
          break;
        case "nap":
          line("wait: { for: 3s }");
          break;
        case "sleep":
          line("wait: { for: 2m }, within: 1h");
          break;
        case "deny":
          line(`request: "POST https://stays.example/deny-${name}${where}", keep-going: true`);
          break;
        case "left-out":
          line(`only-if: size("${name}") > 9, request: "POST https://stays.example/${name}${where}"`);
          break;
        case "remember":
          line(`remember: { key: "${name}", add: { n: 1 } }`);
          break;
        case "pages":
          line(
            `request: "GET https://stays.example/${name}/pages${where}", pages: { by: cursor, next: body.next, items: body.items }`,
          );
          break;
        case "until":
          line(
            `request: "POST https://stays.example/${name}/jobs${where}", idempotency: auto, until: { done: status == 200, every: 40s, url: "\${headers.location}" }`,
          );
          break;
        case "together":
          this.lines.push(`${indent}- step: ${name}`, `${indent}  together:`, `${indent}    branches:`);
          for (const branch of ["left", "right"]) {
            this.lines.push(`${indent}      ${branch}:`);
            this.write(
              shape.inner,
              `${indent}        `,
              { parallel: Math.max(2, inLoop?.parallel ?? 2) },
              indexed,
            );
          }
          break;
        case "group":
          // Of two, one fails at its end; the steps under catch then call and wait, too.
          this.lines.push(`${indent}- step: ${name}`, `${indent}  group:`, `${indent}    steps:`);
          this.write(shape.inner, `${indent}      `, inLoop, indexed);
          if (shape.parallel > 1)
            this.lines.push(
              `${indent}      - { step: ${name}f, request: "PUT https://stays.example/deny-${name}${where}" }`,
            );
          this.lines.push(
            `${indent}  catch:`,
            `${indent}    - { step: ${name}c, request: "POST https://stays.example/${name}c${where}", body: { json: { why: "\${error.code}", key: "\${uuid()}" } } }`,
            `${indent}    - { step: ${name}w, wait: { for: 1m } }`,
          );
          break;
        case "if":
          this.lines.push(
            `${indent}- step: ${name}`,
            `${indent}  if: "size('${name}') ${shape.parallel === 1 ? ">" : "<"} 0"`,
          );
          for (const branch of ["then", "else"]) {
            this.lines.push(`${indent}  ${branch}:`);
            this.write(shape.inner, `${indent}    `, inLoop, indexed);
          }
          break;
        case "each": {
          const parallel = Math.max(shape.parallel, inLoop?.parallel ?? 1);
          this.lines.push(
            `${indent}- step: ${name}`,
            `${indent}  each: lists.range(3)`,
            `${indent}  parallel: ${parallel}`,
            `${indent}  collect: index`,
            `${indent}  steps:`,
          );
          this.write(shape.inner, `${indent}    `, { parallel });
        }
      }
    }
  }
}

function fileOf(list: Shape[]): string {
  const writer = new Writer();
  writer.write(list, "  ", undefined);
  return `copper-kettle: 1\nname: random\nsteps:\n${writer.lines.join("\n")}\n  - { step: reply, respond: { body: "\${variables}" } }\n`;
}

/** The API: some answers throttle, some are missing at first; the same for the same call and count. */
function answer(url: string, method: string, times: number): Answer {
  if (url.includes("/deny-")) return { status: 403 };
  const where = new URL(url);
  if (url.includes("/pages")) {
    const cursor = Number(/cursor=(\d)/.exec(url)?.[1] ?? 0);
    return { status: 200, body: { items: [cursor, 7], next: cursor < 2 ? cursor + 1 : null } };
  }
  if (where.pathname.endsWith("/jobs"))
    return { status: 202, headers: { location: url.replace("/jobs", "/state") } };
  if (where.pathname.endsWith("/state")) return { status: times < 2 ? 202 : 200, body: {} };
  const chance = [...url].reduce((sum, character) => (sum * 31 + character.charCodeAt(0)) % 97, 7);
  if (chance % 5 === 0 && times === 0) return { status: 429, headers: { "retry-after": "2" } };
  if (method === "PUT" && chance % 3 === 0 && times < 2) return { status: 404 };
  return { status: 200, body: { id: chance } };
}

/** A API that remembers what it was asked for, whichever life of the run asked. */
const farSide = (): ((file: string) => World) => {
  const asked = new Map<string, number>();
  return (file) =>
    new World(file, ({ url, method }) => {
      const times = asked.get(`${method} ${url}`) ?? 0;
      asked.set(`${method} ${url}`, times + 1);
      return answer(url, method, times);
    });
};

/** What a run did that must be the same however often it was interrupted. */
const bodies = (entries: Entry[]): string[] =>
  entries
    .flatMap((entry) => {
      if (entry.type !== "begun" || entry.kind !== "request") return [];
      const { body } = entry.data["request"] as { body?: string };
      return [`${entry.path} ${(body ?? "").replace(/"at":"[^"]*"/, "")}`];
    })
    .sort();

/** Sends of writing calls that the API took, by URL. */
function taken(worlds: World[]): Map<string, number> {
  const counts = new Map<string, number>();
  for (const { sent } of worlds) {
    for (const { method, url } of sent) if (method === "POST") counts.set(url, (counts.get(url) ?? 0) + 1);
  }
  return counts;
}

describe("any workflow, stopped anywhere", () => {
  it("comes to the same end, does the same things, and repeats no writing call in silence", async () => {
    await fc.assert(
      fc.asyncProperty(
        shapes,
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 1, maxLength: 4 }),
        async (list, stops) => {
          const file = fileOf(list);
          const whole = farSide()(file);
          expect((await whole.runToEnd()).state).toBe("succeeded");
          const full = whole.entries();

          // The same run, with its process lost again and again: each life has a part of the journal of the one before.
          const lives: World[] = [];
          const worldOf = farSide();
          let rows = [] as World["rows"];
          let time = whole.entries()[0]?.at as number;
          for (const stop of [...stops, undefined]) {
            const life = worldOf(file);
            life.rows = rows;
            life.time = time;
            lives.push(life);
            const result = await life.runToEnd();
            if (result.state === "unsure") {
              // Somebody looks, finds that each lost call did not arrive in this world, and says: again.
              for (const entry of life.entries().filter((item) => item.type === "unsure")) {
                const { path } = entry as Extract<Entry, { type: "unsure" }>;
                const over = life.entries().some((item) => item.type === "ended" && item.path === path);
                if (!over) life.add({ type: "decided", at: life.time, path, decision: "again", by: "Marit" });
              }
              rows = life.rows;
              time = life.time;
              if (stop === undefined) {
                for (let tries = 0; tries < 200; tries++) {
                  const next = await life.runToEnd();
                  if (next.state !== "unsure") {
                    expect(next.state).toBe("succeeded");
                    break;
                  }
                  for (const entry of life.entries().filter((item) => item.type === "unsure")) {
                    const { path } = entry as Extract<Entry, { type: "unsure" }>;
                    life.add({ type: "decided", at: life.time, path, decision: "again", by: "Marit" });
                  }
                }
              }
              continue;
            }
            expect(result.state).toBe("succeeded");
            if (stop === undefined) break;
            const cut = 1 + Math.floor(stop * (life.rows.length - 1));
            rows = life.rows.slice(0, cut);
            time = (life.entries()[cut - 1]?.at ?? time) + 1;
          }
          const last = lives.at(-1) as World;
          const { problems } = full.at(-1) as Extract<Entry, { type: "finished" }>;
          expect(last.entries().at(-1)).toMatchObject({ type: "finished", state: "succeeded", problems });
          expect(bodies(last.entries())).toEqual(bodies(full));
          // In the journal that counts, each writing call has one response that was a success.
          const successes = last
            .entries()
            .filter((entry) => entry.type === "attempt" && entry.response?.status === 200)
            .map((entry) => {
              const { path, leg = 0 } = entry as { path: string; leg?: number };
              return `${path} ${leg}`;
            });
          expect(new Set(successes).size).toBe(successes.length);
          expect([...taken([whole]).keys()].sort()).toEqual([...new Set([...taken(lives).keys()])].sort());
        },
      ),
      { numRuns: 60 },
    );
  }, 120_000);

  it("sends each writing call once, and once more for each time that somebody said so", async () => {
    await fc.assert(
      fc.asyncProperty(
        shapes,
        fc.array(fc.double({ min: 0, max: 1, noNaN: true }), { minLength: 1, maxLength: 6 }),
        async (list, kills) => {
          const file = fileOf(list);
          const whole = farSide()(file);
          await whole.runToEnd();
          const lives: World[] = [];
          const worldOf = farSide();
          const again = new Map<string, number>();
          let [rows, time] = [[] as World["rows"], 0];
          const next = (kill: number | undefined): World => {
            const life = worldOf(file);
            life.rows = rows;
            life.time = Math.max(time, life.time);
            if (kill !== undefined && kill < 0.3)
              life.diesAt = rows.length + 1 + Math.floor((kill / 0.3) * whole.rows.length);
            else if (kill !== undefined)
              life.diesAfterSends = 1 + Math.floor((kill - 0.3) * whole.sent.length);
            lives.push(life);
            return life;
          };
          for (let tries = 0; tries < 300; tries++) {
            const life = next(kills[tries]);
            const end = await life.runToEnd().catch((error: unknown) => {
              if (error instanceof Killed) return undefined;
              throw error;
            });
            rows = life.rows;
            time = life.time;
            if (end?.state === "succeeded") break;
            if (end?.state === "unsure") sayAgain(life, again);
          }
          expect(rows.at(-1)?.entry).toMatchObject({ type: "finished", state: "succeeded" });
          const allowed = taken([whole]);
          for (const [url, count] of taken(lives)) {
            if (url.includes("/jobs")) continue; // it carries a key, by which the API knows a repeat
            expect([url, count]).toEqual([
              url,
              Math.min(count, (allowed.get(url) ?? 0) + (again.get(url) ?? 0)),
            ]);
          }
        },
      ),
      { numRuns: 60 },
    );
  }, 120_000);
});

/** Somebody says of each unsure call: send it again. Counts it, by URL. */
function sayAgain(life: World, again: Map<string, number>): void {
  const open = new Map<string, string>();
  const urls = new Map<string, string>();
  for (const entry of life.entries()) {
    if (entry.type === "begun" && entry.kind === "request")
      urls.set(entry.path, (entry.data["request"] as { url: string }).url);
    if (entry.type === "unsure") open.set(entry.path, urls.get(entry.path) ?? "");
    if (entry.type === "decided" || entry.type === "ended") open.delete(entry.path);
  }
  for (const [path, url] of open) {
    life.add({ type: "decided", at: life.time, path, decision: "again", by: "Marit" });
    again.set(url, (again.get(url) ?? 0) + 1);
  }
}
