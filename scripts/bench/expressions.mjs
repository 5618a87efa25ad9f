import jsonata from "jsonata";
import {
  checkShapes,
  compile,
  evaluateToJson,
  parseTemplate,
  readWorkflow,
  renderTemplate,
} from "../../core/dist/index.js";

const surroundings = { now: () => 0, uuid: () => "" };
const rows = (count) =>
  Array.from({ length: count }, (_, index) => ({
    id: `g-${index}`,
    club: ["Alpha", "Beck", "Cairn", "Dale"][index % 4],
    unused: index % 13,
    open: index % 3 === 0,
  }));
const small = {
  inputs: { name: "Odd" },
  steps: { guest: { body: { items: [{ id: "g-1", hut: { name: "Corrie" } }] } } },
};
const thousand = { rows: rows(1_000) };
const many = { rows: rows(10_000) };

/** The same on each side: ours, that of another language, and a function written by hand. */
const cases = [
  {
    what: "a path of six",
    data: small,
    ours: "steps.guest.body.items[0].hut.name",
    theirs: "steps.guest.body.items[0].hut.name",
    hand: (data) => data.steps.guest.body.items[0].hut.name,
    times: 200_000,
    most: 10,
  },
  {
    what: "a text of three parts",
    data: small,
    template:
      "Dear ${inputs.name}, ${steps.guest.body.items[0].id} is at ${steps.guest.body.items[0].hut.name}.",
    theirs:
      '"Dear " & inputs.name & ", " & steps.guest.body.items[0].id & " is at " & steps.guest.body.items[0].hut.name & "."',
    hand: (data) =>
      `Dear ${data.inputs.name}, ${data.steps.guest.body.items[0].id} is at ${data.steps.guest.body.items[0].hut.name}.`,
    times: 50_000,
    most: 5,
  },
  {
    what: "filter and map over 1,000 rows",
    data: thousand,
    ours: "rows.filter(r, r.open && r.unused > 3).map(r, r.id)",
    theirs: "rows[open and unused > 3].id",
    hand: (data) => data.rows.filter((r) => r.open && r.unused > 3).map((r) => r.id),
    times: 300,
    most: 5,
  },
  {
    what: "group and sum over 10,000 rows",
    data: many,
    ours: "rows.groupBy(r, r.club).map(g, {'club': g.key, 'unused': g.items.sumBy(r, r.unused)})",
    theirs: "rows{club: $sum(unused)}",
    hand: (data) => {
      const groups = new Map();
      for (const row of data.rows) groups.set(row.club, (groups.get(row.club) ?? 0) + row.unused);
      return [...groups].map(([club, unused]) => ({ club, unused }));
    },
    times: 40,
    most: 5,
  },
];

async function rate(times, work) {
  for (let warm = 0; warm < Math.max(2, times / 10); warm++) await work();
  let best = 0;
  for (let round = 0; round < 3; round++) {
    const began = performance.now();
    for (let count = 0; count < times; count++) {
      const result = work();
      if (result instanceof Promise) await result;
    }
    best = Math.max(best, (times * 1000) / (performance.now() - began));
  }
  return best;
}

/** Evaluations a second, of ours, of another expression language on the same data, and of functions written by hand. */
export async function evaluating() {
  const found = [];
  const source = cases[2].ours;
  const [compiled, parsed] = [
    await rate(3_000, () => compile(source)),
    await rate(3_000, () => jsonata(cases[2].theirs)),
  ];
  found.push({
    what: "compiling a filter and a map",
    ours: compiled,
    theirs: parsed,
    hand: undefined,
    least: 5,
  });
  for (const { what, data, ours, template, theirs, hand, times, most } of cases) {
    const text = template && parseTemplate(template);
    const expression = ours && compile(ours);
    const run = text
      ? () => renderTemplate(text, data, surroundings)
      : () => evaluateToJson(expression, data, surroundings);
    const other = jsonata(theirs);
    found.push({
      what,
      ours: await rate(times, run),
      theirs: await rate(Math.max(2, Math.round(times / 10)), () => other.evaluate(data)),
      hand: await rate(times, () => hand(data)),
      least: most,
    });
  }
  return found;
}

/** What checking one value costs while somebody types, in a workflow of 50 steps; and what a compiled expression keeps. */
export async function checking() {
  const steps = Array.from(
    { length: 50 },
    (_, index) =>
      `  - { step: s${index}, set: { v${index}: "\${inputs.a}${index > 0 ? `\${variables.v${index - 1}}` : ""}" } }`,
  );
  const file = `copper-kettle: 1\nname: long\ninputs: { type: object, properties: { a: { type: string } } }\nsteps:\n${steps.join("\n")}\n`;
  const scope = readWorkflow(file).scopeAt(54);
  const expression = "variables.v48 + upper(inputs.a) + string(size(steps.s3.v3))";
  const one = await rate(2_000, () => checkShapes(compile(expression), scope));
  const whole = await rate(50, () => readWorkflow(file));
  return { one: 1000 / one, whole: 1000 / whole };
}

/** Bytes that compiled expressions keep after they have run on large data, a piece; with the collector at hand. */
export function kept() {
  if (!globalThis.gc) return undefined;
  const expressions = Array.from({ length: 1_000 }, () => compile("rows.filter(r, r.open).map(r, r.id)"));
  globalThis.gc();
  const before = process.memoryUsage().heapUsed;
  for (const expression of expressions) evaluateToJson(expression, { rows: rows(200) }, surroundings);
  globalThis.gc();
  return (process.memoryUsage().heapUsed - before) / expressions.length;
}
