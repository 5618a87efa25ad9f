import { z } from "zod";
import { innerCall, sending } from "./document-call.js";
import { duration, expression, template, value, values } from "./document-fields.js";

/** What every kind of trigger has. */
const common = {
  title: z.string().optional(),
  "only-if": expression().optional().describe("Whether an event starts a run; else it is left out."),
  inputs: values().optional().describe("The inputs of the run, from what the trigger brings."),
  "one-at-a-time": template()
    .optional()
    .describe("Runs with the same text go one after another, in the order of their events."),
  "latest-only": z
    .boolean()
    .optional()
    .describe("With one-at-a-time: of runs that wait, only the latest goes on; default: false."),
  parallel: z.int().min(1).max(10_000).optional().describe("Runs of this trigger side by side."),
  "when-busy": z
    .enum(["queue", "skip"])
    .optional()
    .describe("What becomes of an event when so many run; default: queue."),
  expect: z
    .strictObject({ "success-within": duration().describe("The longest time without a success.") })
    .optional()
    .describe("What people are notified of when it does not hold, also when nothing starts."),
  was: z.string().optional().describe("The name that this trigger had before: it takes over its state."),
};

const fetch = {
  fetch: innerCall
    .optional()
    .describe("A reading call, for an event that brings only an id; its outcome is trigger.fetched."),
};

const byHand = z.strictObject({
  ...common,
  "by-hand": z.strictObject({
    examples: z
      .array(
        z.strictObject({
          name: z.string().min(1),
          inputs: values().optional(),
          expect: expression().optional().describe("What must hold when a run of it has ended."),
        }),
      )
      .optional()
      .describe("Inputs that show what the workflow does; they stay with it."),
  }),
});

const schedule = z.strictObject({
  ...common,
  schedule: z.strictObject({
    every: duration().optional().describe("From one beat to the next, at least 1s."),
    cron: z
      .string()
      .optional()
      .describe("Five or six fields: second (may be left out), minute, hour, day, month, day of week."),
    zone: z.string().optional().describe("A time zone, such as Europe/Vienna; default: UTC."),
    from: z.string().optional().describe("The first day or time."),
    until: z.string().optional().describe("The last day or time."),
    except: z
      .union([z.array(z.string()), template()])
      .optional()
      .describe("Dates on which nothing starts; or a constant that lists them."),
    jitter: duration()
      .optional()
      .describe("The longest that a beat is put off, less than half the interval."),
    missed: z
      .enum(["skip", "once"])
      .optional()
      .describe("What becomes of beats that came while the service was away; default: skip."),
  }),
});

const reply = z
  .strictObject({
    status: z.int().min(200).max(599).optional(),
    headers: values().optional(),
    body: value().optional(),
  })
  .describe("What the sender gets.");

const credential = () => z.string().meta({ "x-ckettle-field": "credential" });

const verify = z.union([
  z.literal("none").describe("Nothing is verified: the address itself is a secret."),
  z.strictObject({
    "standard-webhooks": credential().describe("A credential of kind secret (Standard Webhooks)."),
  }),
  z.strictObject({
    hmac: z.strictObject({
      using: credential(),
      header: z.string().describe("The header with the signature."),
      value: z
        .string()
        .optional()
        .describe(
          "What it holds, such as sha256={hex}, {base64}, or t={timestamp},v1={hex}; default: {hex}.",
        ),
      base: z.string().optional().describe("What is signed, such as ${timestamp}.${body}; default: ${body}."),
      timestamp: z
        .string()
        .optional()
        .describe("The header with the time, where it is not in the other one."),
      within: duration().optional().describe("How old a delivery may be; default: 5m."),
    }),
  }),
  z.strictObject({
    jwt: z
      .strictObject({
        issuer: z.url().describe("The URL of who issues the tokens; its keys are found by it."),
        audience: z.string().min(1).describe("For whom the tokens must be."),
        algorithms: z
          .array(
            z.enum([
              "RS256",
              "RS384",
              "RS512",
              "PS256",
              "PS384",
              "PS512",
              "ES256",
              "ES384",
              "ES512",
              "EdDSA",
            ]),
          )
          .min(1)
          .optional()
          .describe("The algorithms that count; default: RS256 and ES256."),
      })
      .describe("A JSON Web Token as bearer (RFC 7519): it proves the sender, not the body."),
  }),
  z.strictObject({ basic: credential() }),
  z.strictObject({ bearer: credential() }),
  z.strictObject({ "api-key": credential() }),
]);

const webhook = z.strictObject({
  ...common,
  ...fetch,
  "once-per": expression()
    .optional()
    .describe("What is the same in a repeat; a delivery with a key that was there starts nothing again."),
  "retain-keys": duration()
    .optional()
    .describe("How long the key of a delivery counts, from 1h on; default: 7d."),
  "retain-failures": z
    .boolean()
    .optional()
    .describe("Whether a repeat gets the failure of its first run; false starts again. Default: true."),
  webhook: z.strictObject({
    path: z.string().describe("The last part of its address: /webhooks/<path>."),
    methods: z
      .array(z.enum(["POST", "PUT", "PATCH", "DELETE", "GET"]))
      .min(1)
      .optional()
      .describe("Default: POST."),
    verify: verify.describe("How a delivery proves where it comes from; none must be written too."),
    response: z
      .union([z.enum(["accepted", "from-run"]), reply])
      .optional()
      .describe(
        "accepted (202), from-run (what the run responds), or a response of its own; default: accepted.",
      ),
    within: duration().optional().describe("With from-run: the longest that the sender waits; default: 30s."),
    handshake: z
      .strictObject({
        when: expression(),
        reply,
        unsigned: z.boolean().optional(),
        sign: expression()
          .optional()
          .describe(
            "A challenge that the sender wants signed; ${signature.hex} and .base64 are for the reply.",
          ),
      })
      .optional()
      .describe("What a sender asks before it delivers; it is answered and starts nothing."),
    most: z
      .int()
      .min(1)
      .max(100_000_000)
      .optional()
      .describe("The longest body, in bytes; default: 1000000."),
    origins: z
      .array(template())
      .min(1)
      .optional()
      .describe("Pages of other sites that may send, by origin, such as https://desk.example."),
    items: expression().optional().describe("The list in a delivery that holds many, at most 1000."),
    "id-of": expression()
      .optional()
      .describe("What is the same in a repeat of an item, which then starts nothing again."),
    "one-run-each": z.enum(["item", "batch"]).optional().describe("Default: item."),
    "rate-limit": z
      .strictObject({ calls: z.int().min(1).max(10_000), per: duration() })
      .optional()
      .describe("So many deliveries in so long; one more gets 429."),
  }),
});

const poll = z.strictObject({
  ...common,
  ...fetch,
  "retain-keys": duration()
    .optional()
    .describe("How long an item that is absent stays known, from 1h on; default: 7d."),
  poll: z.strictObject({
    ...innerCall.shape,
    ...sending,
    every: duration().describe("From one look to the next, at least 1s."),
    items: expression()
      .optional()
      .describe("The list in the response; default: body, or all items of all pages."),
    "id-of": expression()
      .optional()
      .describe("What tells one item from another; without it equal items are one."),
    changed: expression()
      .optional()
      .describe("What makes a known item count again; without it only new ones do."),
    ignore: expression().optional().describe("Items that are passed over, such as those of our own."),
    first: z
      .union([
        z.enum(["skip", "all"]),
        z.strictObject({ since: z.union([z.number(), template()]).describe("What ${mark} is at first.") }),
      ])
      .optional()
      .describe("What becomes of what is there at the first look; default: skip."),
    gone: z
      .boolean()
      .optional()
      .describe("Whether an item that is not there any more starts a run, too; default: false."),
    "one-run-each": z.enum(["item", "batch"]).optional().describe("Default: item."),
    most: z.int().min(1).max(1000).optional().describe("With batch: so many items a run; default: 100."),
    mark: z
      .strictObject({
        value: expression().describe("Of the whole response; of a list its greatest counts."),
        kind: z.enum(["time", "number", "text"]),
        overlap: duration().optional().describe("Of a time: so much less is asked for, for what comes late."),
      })
      .optional()
      .describe("How far it has read, for ${mark} in its call; it never goes back."),
  }),
});

/** The schemas of all kinds of triggers, by the key that says the kind. */
export const triggerSchemas = { "by-hand": byHand, schedule, webhook, poll };
export type TriggerKind = keyof typeof triggerSchemas;
export const triggerKinds = Object.keys(triggerSchemas) as TriggerKind[];
