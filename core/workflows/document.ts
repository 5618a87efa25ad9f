import { z } from "zod";

/** A field that holds a bare expression: `true`, `false` and numbers are constants, all else is text. */
const expression = () =>
  z.union([z.string(), z.boolean(), z.number()]).meta({ title: "expression", "x-ckettle-expression": true });
/** A text that may hold `${ … }` parts. */
const template = () => z.string();
/** Any value; the texts in it may hold `${ … }` parts. */
const value = () => z.unknown();
const values = () => z.record(z.string(), z.unknown());
const duration = () => z.string().meta({ title: "duration", examples: ["500ms", "20s", "10m", "1h30m"] });

/** A CEL identifier that can stand behind a dot and as a name of its own. */
export const stepName =
  /^(?!(?:in|true|false|null|as|break|const|continue|else|for|function|if|import|let|loop|package|namespace|return|var|void|while)$)[A-Za-z_][A-Za-z0-9_]*$/;
export const workflowName = /^[a-z0-9](?:[a-z0-9-]{0,62}[a-z0-9])?$/;
export const requestLine = /^([A-Z]+) (\S[\s\S]*)$/;

const named = {
  step: z
    .string()
    .regex(
      stepName,
      "letters, digits and _, not beginning with a digit, and no word of the expression language such as in or loop",
    )
    .describe("The step's name; unique in the file."),
  title: z.string().optional(),
  about: z.string().optional(),
  "only-if": expression().optional().describe("Whether it runs; else it is skipped."),
  "keep-going": z.boolean().optional().describe("Whether the run goes on where the step failed."),
};

const retry = z.strictObject({
  times: z.int().min(0).max(100).optional().describe("How often at most the call is repeated."),
  wait: duration().optional().describe("The wait before the first repeat."),
  factor: z
    .number()
    .min(1)
    .max(100)
    .optional()
    .describe("Each wait is this much longer than the one before."),
  most: duration()
    .optional()
    .describe("The longest single wait; an answer that asks for more fails the step."),
  jitter: z.number().min(0).max(1).optional().describe("Up to this fraction of a wait is added by chance."),
  waits: z.array(duration()).min(1).max(100).optional().describe("A ladder: one wait a repeat."),
  when: expression().optional().describe("Repeats also when this holds; adds to the usual reasons."),
  "only-when": expression().optional().describe("Repeats only when this holds."),
});

/** What every call may say of its body and of how it is sent. */
const sending = {
  body: z
    .strictObject({
      json: value().optional(),
      form: values().optional(),
      multipart: values().optional(),
      text: template().optional(),
      xml: template().optional(),
      file: value().optional(),
    })
    .optional()
    .describe("In one kind: json, form, multipart, text, xml or file."),
  effect: z.enum(["reads", "writes", "repeatable"]).optional(),
  timeout: z.strictObject({ connect: duration().optional(), answer: duration().optional() }).optional(),
  redirects: z.enum(["follow", "none"]).optional(),
  success: expression().optional().describe("Whether the answer is a success; default: status 200 to 299."),
  retry: retry.optional(),
};

/** The schemas of all step kinds. `nested` is what stands for a step inside a step. */
function stepSchemas(nested: z.ZodType) {
  const steps = z.array(nested);
  const common = { ...named, catch: steps.optional().describe("Steps that run where it failed in the end.") };
  return {
    request: z.strictObject({
      ...common,
      request: template().describe("Method and URL, as in: POST https://stays.example/guests"),
      using: z.string().optional().describe("The credential."),
      query: values().optional(),
      headers: values().optional(),
      cookies: values().optional(),
      ...sending,
    }),
    operation: z.strictObject({
      ...common,
      operation: z.string().describe("An operation of a described API, as in: stays.searchGuests"),
      parameters: values().optional().describe("By name; the API's document says where each goes."),
      using: z.string().optional().describe("The credential; default: the one of the API."),
      headers: values().optional(),
      strict: z
        .boolean()
        .optional()
        .describe("Whether an answer that departs from the shape in the API's document fails the step."),
      ...sending,
    }),
    if: z.strictObject({ ...common, if: expression(), then: steps.optional(), else: steps.optional() }),
    cases: z.strictObject({
      ...common,
      cases: z
        .array(z.strictObject({ if: expression(), then: steps.optional() }))
        .min(1)
        .describe("The first whose condition holds is taken."),
      else: steps.optional(),
    }),
    group: z.strictObject({ ...common, group: z.strictObject({ steps }) }),
    each: z.strictObject({
      ...common,
      each: expression().describe("The list."),
      as: z.string().regex(stepName).optional().describe("The name of the item; default: item."),
      "at-once": z.int().min(1).max(1000).optional(),
      steps,
      collect: expression().optional().describe("What each item gives to the list `items`."),
    }),
    set: z.strictObject({ ...common, set: values() }),
    wait: z.strictObject({
      ...common,
      wait: z.strictObject({ for: template().optional(), at: template().optional() }),
    }),
    respond: z.strictObject({
      ...common,
      respond: z.strictObject({
        status: z.union([z.int(), z.string()]).optional(),
        headers: values().optional(),
        body: value().optional(),
      }),
    }),
    stop: z.strictObject({
      ...common,
      stop: z.strictObject({
        as: z.enum(["succeeded", "failed"]).optional(),
        message: template().optional(),
      }),
    }),
    note: z.strictObject({ ...common, note: template() }),
  };
}

export type StepKind = keyof ReturnType<typeof stepSchemas>;

/** For reading: inner steps are taken as they are, and read one by one. */
export const shallowSteps = stepSchemas(z.unknown());
export const stepKinds = Object.keys(shallowSteps) as StepKind[];

const triggers = z.record(
  z.string().regex(stepName, "letters, digits and _"),
  z.strictObject({ "by-hand": z.strictObject({}) }),
);

function documentSchema(step: z.ZodType) {
  return z.strictObject({
    "copper-kettle": z.literal(1).describe("The file's marker and its version."),
    name: z
      .string()
      .regex(workflowName, "a-z, 0-9 and dashes, at most 64")
      .describe("The workflow's name; unique."),
    title: z.string().optional(),
    about: z.string().optional().describe("Markdown, for people."),
    inputs: z.record(z.string(), z.unknown()).optional().describe("JSON Schema of what the starter gives."),
    triggers: triggers.optional(),
    limits: z
      .strictObject({
        "at-once": z.int().min(1).max(10_000).optional().describe("Runs of this workflow side by side."),
      })
      .optional(),
    steps: z.array(step),
  });
}

export const shallowDocument = documentSchema(z.unknown());

/** The JSON Schema (2020-12) of the workflow file, for editors. */
export function workflowJsonSchema(): object {
  const step: z.ZodType = z.lazy(() => z.union(Object.values(deep))).meta({ id: "step" });
  const deep = stepSchemas(step);
  return {
    ...z.toJSONSchema(documentSchema(step), { unrepresentable: "any" }),
    title: "Copper Kettle workflow",
  };
}
