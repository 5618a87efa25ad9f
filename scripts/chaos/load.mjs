/**
 * The mixed load: each workflow's file. Every call that writes says by headers which run and which call it is of, so
 * that what arrived can be laid beside the journals.
 */
const marks = (call) => `{ X-Run: "\${run.id}", X-Call: "${call}" }`;
const guest = (call, email, more = "") =>
  `request: "POST \${constants.stays}/guests", using: stays-key, headers: ${marks(call)}, body: { json: { email: "${email}" } }${more}`;
const patient = ", retry: { waits: [50ms, 200ms, 1s, 2s] }";

/** Calls of a run that write, by the path of their step: how the guest or post is told from all others. */
export const load = {
  plain: {
    file: `copper-kettle: 1
name: plain
steps:
  - { step: look, request: "GET \${constants.stays}/guests", using: stays-key${patient} }
  - { step: made, ${guest("made", "plain-${run.id}@alpha.example", patient)} }
  - { step: again, ${guest("again", "second-${run.id}@alpha.example", patient)} }
`,
    calls: (run) => ({ made: `plain-${run}@alpha.example`, again: `second-${run}@alpha.example` }),
  },
  keyed: {
    file: `copper-kettle: 1
name: keyed
steps:
  - { step: made, ${guest("made", "keyed-${run.id}@alpha.example", `, idempotency: auto${patient}`)} }
  - { step: nap, wait: { for: 1s } }
  - { step: again, ${guest("again", "late-${run.id}@alpha.example", `, idempotency: auto${patient}`)} }
`,
    calls: (run) => ({ made: `keyed-${run}@alpha.example`, again: `late-${run}@alpha.example` }),
  },
  round: {
    file: `copper-kettle: 1
name: round
steps:
  - step: huts
    each: lists.range(8)
    as: hut
    parallel: 3
    steps:
      - step: look
        request: "GET \${constants.stays}/guests"
        using: stays-key
        query: { email: odd@huts.example }
        retry: { waits: [50ms, 200ms, 1s, 2s] }
      - { step: made, ${guest("made-${hut}", "hut-${hut}-${run.id}@alpha.example", patient)} }
`,
    calls: (run) =>
      Object.fromEntries(
        Array.from({ length: 8 }, (_, hut) => [`huts[${hut}]/made`, `hut-${hut}-${run}@alpha.example`]),
      ),
  },
  ensured: {
    file: `copper-kettle: 1
name: ensured
inputs: { type: object, properties: { email: { type: string } }, required: [email] }
steps:
  - step: there
    ensure:
      find: { request: "GET \${constants.stays}/guests", using: stays-key, query: { email: "\${inputs.email}" }${patient} }
      record: body.items
      create: { ${guest("there", "${inputs.email}", patient)} }
      lock: guest \${inputs.email}
`,
    calls: (_run, inputs) => ({ "there/create": inputs.email }),
  },
  parent: {
    file: `copper-kettle: 1
name: parent
steps:
  - { step: called, workflow: { name: keyed } }
  - { step: made, ${guest("made", "parent-${run.id}@alpha.example", patient)} }
`,
    calls: (run) => ({ made: `parent-${run}@alpha.example` }),
  },
  together: {
    file: `copper-kettle: 1
name: together
steps:
  - step: both
    together:
      branches:
        left: [{ step: first, ${guest("left", "left-${run.id}@alpha.example", patient)} }]
        right: [{ step: second, ${guest("right", "right-${run.id}@alpha.example", patient)} }]
  - { step: kept, remember: { key: rounds, add: { count: 1 } } }
`,
    calls: (run) => ({
      "both.left/first": `left-${run}@alpha.example`,
      "both.right/second": `right-${run}@alpha.example`,
    }),
  },
};

/** Something that goes wrong at the stand-in, by chance. */
export function anyFault({ between, one }) {
  const at = { method: one(["GET", "POST", "POST"]), path: "/guests", times: between(1, 4) };
  return {
    ...at,
    ...one([
      { latency: between(20, longestLatency) },
      { status: 429, headers: { "Retry-After": "1" } },
      { status: 503, headers: { "Retry-After": "0" } },
      { status: one([500, 502, 504]) },
      { drop: "before" },
      { drop: "after" },
      { drop: "after" },
    ]),
  };
}

/** No stand-in takes longer over a request, in milliseconds. */
export const longestLatency = 400;
