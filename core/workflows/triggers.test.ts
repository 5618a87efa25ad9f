import { describe, expect, it } from "vitest";
import { readWorkflow } from "./read.js";

const file = (triggers: string): string =>
  `copper-kettle: 1\nname: t\ninputs: { type: object, properties: { hut: { type: string } } }\ntriggers:\n${triggers}\nsteps:\n  - { step: a, note: x }\n`;
const read = (triggers: string) => readWorkflow(file(triggers));
const said = (triggers: string): string[] =>
  read(triggers).problems.map(({ line, column, message }) => `${line}:${column} ${message}`);

describe("the triggers of a file", () => {
  it("are read by their kinds", () => {
    const { workflow, problems } =
      read(`  office: { by-hand: { examples: [{ name: known, inputs: { hut: corrie }, expect: "steps.a != null" }] } }
  nightly: { schedule: { cron: "0 5 * * *", zone: Europe/Vienna, missed: once, except: [2027-12-24], from: 2027-03-01, until: 2027-03-31 }, inputs: { hut: corrie } }
  often: { schedule: { every: 15s, jitter: 5s, except: "\${constants.closed}" } }
  booked:
    webhook: { path: stay-booked, verify: { standard-webhooks: stays-hook }, response: from-run, within: 10s }
    only-if: trigger.body.type == "stay.booked"
    once-per: trigger.body.data.id
    inputs: { hut: "\${trigger.body.data.hut}" }
  board: { webhook: { path: board, verify: { hmac: { using: k, header: X-Sig, base: "\${timestamp}.\${body}", timestamp: X-Time } } } }`);
    expect(problems).toEqual([]);
    expect(workflow?.triggers).toMatchObject({
      office: { kind: "by-hand", examples: [{ name: "known", inputs: { hut: "corrie" } }] },
      nightly: {
        kind: "schedule",
        schedule: {
          cron: "0 5 * * *",
          zone: "Europe/Vienna",
          missed: "once",
          from: Date.parse("2027-02-28T23:00:00Z"),
          until: Date.parse("2027-03-31T21:59:59.999Z"),
          except: ["2027-12-24"],
        },
        line: 6,
      },
      often: { schedule: { every: 15_000, jitter: 5_000, missed: "skip", except: [] } },
      booked: {
        kind: "webhook",
        path: "stay-booked",
        response: "from-run",
        within: 10_000,
        methods: ["POST"],
      },
      board: {
        verify: { by: "hmac", header: "x-sig", timestamp: "x-time", value: "{hex}", within: 300_000 },
      },
    });
    expect(workflow?.triggers["often"]).toHaveProperty("exceptFrom");
  });

  it.each([
    ["a: { schedul: { every: 5m } }", '5:8 There is no trigger kind "schedul"; did you mean "schedule"?'],
    [
      "a: {}",
      "5:6 This trigger does not say what it does. It needs one of: by-hand, schedule, webhook, poll.",
    ],
    [
      "a: { by-hand: {}, schedule: { every: 5m } }",
      "A trigger has one kind, but this one has two: by-hand and schedule.",
    ],
    ["a: { schedule: {} }", 'A schedule has either "every" or "cron".'],
    ['a: { schedule: { every: 5m, cron: "0 5 * * *" } }', 'A schedule has either "every" or "cron".'],
    ["a: { schedule: { every: 10ms } }", '"every" must be at least 1s.'],
    ['a: { schedule: { cron: "0 5 * *" } }', "this one has 4"],
    ['a: { schedule: { cron: "61 5 * * *" } }', '"61 5 * * *" is not a cron pattern'],
    ['a: { schedule: { cron: "0 0 30 2 *" } }', "This schedule never comes."],
    ["a: { schedule: { every: 5m, until: 1969-01-01 } }", "This schedule never comes."],
    ["a: { schedule: { every: 5m, zone: Europe/Viena } }", '"Europe/Viena" is not a time zone'],
    ["a: { schedule: { every: 5m, except: [2027-13-01] } }", '"2027-13-01" is not a date'],
    ["a: { schedule: { every: 5m, from: tomorrow } }", '"tomorrow" is neither a date'],
    ["a: { schedule: { every: 5m, jitter: 3m } }", "less than half"],
    ['a: { schedule: { every: 5m }, inputs: { hut: "${inputs.hut}" } }', 'There is no "inputs" here'],
    ["a: { schedule: { every: 5m }, only-if: steps.a == 1 }", 'There is no "steps" here'],
    [
      "a: { webhook: { path: x, verify: { bearer: k }, origins: [https://a.example] } }",
      "would have to know the secret",
    ],
    [
      "a: { webhook: { path: x, verify: { hmac: { using: k, header: X } }, handshake: { when: true, sign: trigger.query.c, reply: {} } } }",
      "a signed challenge could be sent as a delivery",
    ],
    ["a: { webhook: { path: x } }", '"verify" is missing'],
    ["a: { webhook: { path: Stay, verify: none } }", "A path is a-z, 0-9 and dashes"],
    ["a: { webhook: { path: draft, verify: none } }", '"draft" is the service\'s own'],
    ["a: { webhook: { path: x, verify: { hmac: { using: k, header: X } } } }", "send it again"],
    [
      "a: { webhook: { path: x, verify: { hmacs: k } } }",
      'There is no key "hmacs" here; did you mean "hmac"?',
    ],
    [
      "a: { webhook: { path: x, verify: none, items: trigger.body }, once-per: trigger.id }",
      '"id-of" says what is the same in a repeat, of each item',
    ],
    [
      "a: { webhook: { path: x, verify: none, items: trigger.body, response: from-run } }",
      "Each item has a run, so there is no single response",
    ],
    [
      "a: { webhook: { path: x, verify: none, id-of: item.id } }",
      '"id-of" says something only beside "items"',
    ],
    ["a: { webhook: { path: x, verify: none }, retain-keys: 5m }", '"retain-keys" must be at least 1h'],
    [
      "a: { webhook: { path: x, verify: none, rate-limit: { calls: 0, per: 1m } } }",
      '"calls" must be at least 1',
    ],
    ["a: { webhook: { path: x, verify: none, rate-limit: { calls: 1, per: soon } } }", "soon"],
    [
      "a: { webhook: { path: x, verify: none }, once-per: trigger.boddy.id }",
      'There is no "boddy" in trigger; did you mean "body"?',
    ],
  ])("that are wrong say where and why: %s", (trigger, message) => {
    expect(said(`  ${trigger}`).join("\n")).toContain(message);
  });
});
