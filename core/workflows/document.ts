import { z } from "zod";
import { innerCall, sending, using } from "./document-call.js";
import { triggerSchemas } from "./document-triggers.js";
import { duration, expression, nameOf, template, value, values } from "./document-fields.js";

/** A CEL identifier that can stand behind a dot and as a name of its own. */
export const stepName =
  /^(?!(?:in|true|false|null|as|break|const|continue|else|for|function|if|import|let|loop|package|namespace|return|var|void|while)$)[A-Za-z_][A-Za-z0-9_]*$/;
export const workflowName = /^[a-z0-9](?:[a-z0-9-]{0,62}[a-z0-9])?$/;

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
  within: duration().optional().describe("The longest that it may take, waits and restarts included."),
  secret: z
    .union([z.boolean(), z.array(z.string()).min(1)])
    .optional()
    .describe(
      "Whether its outcome is secret; or the paths in it that are, such as body.pin or body.items.*.pin.",
    ),
  "keep-going": z.boolean().optional().describe("Whether the run goes on where the step failed."),
};

/** The schemas of all step kinds. `nested` is what stands for a step inside a step. */
function stepSchemas(nested: z.ZodType) {
  const steps = z.array(nested);
  const common = { ...named, catch: steps.optional().describe("Steps that run where it failed in the end.") };
  return {
    request: z.strictObject({
      ...common,
      request: template().describe("Method and URL, as in: POST https://stays.example/guests"),
      using: using(),
      query: values().optional(),
      headers: values().optional(),
      cookies: values().optional(),
      ...sending,
    }),
    operation: z.strictObject({
      ...common,
      operation: nameOf("operation").describe("An operation of a described API, as in: stays.searchGuests"),
      parameters: values().optional().describe("By name; the API's document says where each goes."),
      using: using(),
      query: values().optional(),
      headers: values().optional(),
      strict: z
        .boolean()
        .optional()
        .describe("Whether a response that does not match the documented schema fails the step."),
      ...sending,
    }),
    if: z.strictObject({ ...common, if: expression(), then: steps.optional(), else: steps.optional() }),
    cases: z.strictObject({
      ...common,
      cases: z
        .array(z.strictObject({ if: expression(), then: steps.optional() }))
        .min(1)
        .describe("The first case whose condition is true is taken."),
      else: steps.optional(),
    }),
    group: z.strictObject({ ...common, group: z.strictObject({ steps }) }),
    together: z.strictObject({
      ...common,
      together: z.strictObject({
        branches: z
          .record(z.string().regex(stepName, "letters, digits and _"), steps)
          .describe("Lists of steps that run side by side, by name."),
        "if-one-fails": z
          .enum(["stop", "continue"])
          .optional()
          .describe("Whether a branch that fails ends the others; default: stop."),
      }),
    }),
    ensure: z.strictObject({
      ...common,
      ensure: z.strictObject({
        find: innerCall.describe("The call that looks; a response of 404 says that there is none."),
        found: expression().optional().describe("Whether its response shows one; default: record is there."),
        record: expression()
          .optional()
          .describe("The record in its response, or the list of those that fit; default: body."),
        create: innerCall.optional(),
        update: innerCall.optional(),
        "update-if": expression().optional().describe("Whether the record that was found needs the update."),
        lock: template().optional().describe("A name that one run at a time may hold."),
        many: z.enum(["fail", "first"]).optional().describe("What to do where several fit; default: fail."),
      }),
    }),
    workflow: z.strictObject({
      ...common,
      workflow: z.strictObject({
        name: nameOf("workflow").regex(workflowName, "the name of a workflow"),
        inputs: values().optional(),
        "in-background": z
          .boolean()
          .optional()
          .describe("Whether this run continues without waiting for its response; default: false."),
      }),
    }),
    remember: z.strictObject({
      ...common,
      remember: z.strictObject({
        key: template(),
        values: values().optional(),
        add: values().optional().describe("Numbers to add to the remembered ones."),
        append: values().optional().describe("Items to append to the remembered lists."),
        most: z.int().min(1).max(10_000).optional().describe("The longest list; the oldest items go."),
        expect: values().optional().describe("What must be remembered now; else the step fails."),
        expires: duration().optional(),
      }),
    }),
    each: z.strictObject({
      ...common,
      each: expression().describe("The list."),
      as: z.string().regex(stepName).optional().describe("The name of the item; default: item."),
      parallel: z.int().min(1).max(1000).optional(),
      steps,
      "if-one-fails": z
        .enum(["stop", "continue"])
        .optional()
        .describe("Whether an item that fails ends the loop; default: stop."),
      limit: z.int().min(1).optional().describe("The longest list that is taken; default: 100000."),
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
        status: z.union([z.int(), template()]).optional(),
        headers: values().optional(),
        body: value().optional(),
      }),
    }),
    finish: z
      .strictObject({ ...common, finish: template() })
      .describe("Ends the whole run as succeeded, with this sentence."),
    fail: z
      .strictObject({ ...common, fail: template() })
      .describe("Ends the whole run as failed, with this sentence."),
    note: z.strictObject({ ...common, note: template() }),
  };
}

export type StepKind = keyof ReturnType<typeof stepSchemas>;

/** For reading: inner steps are taken as they are, and read one by one. */
export const shallowSteps = stepSchemas(z.unknown());
export const stepKinds = Object.keys(shallowSteps) as StepKind[];

function documentSchema(step: z.ZodType, trigger: z.ZodType) {
  const triggers = z.record(z.string().regex(stepName, "letters, digits and _"), trigger);
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
        parallel: z.int().min(1).max(10_000).optional().describe("Runs of this workflow side by side."),
        "when-busy": z
          .enum(["queue", "skip"])
          .optional()
          .describe("What becomes of a start when so many run; default: queue."),
        within: duration().optional().describe("The longest that a run may take."),
      })
      .optional(),
    responses: z
      .record(z.string().regex(/^[2-5]\d\d$/, "a status from 200 to 599"), z.record(z.string(), z.unknown()))
      .optional()
      .describe("What a starter that waits may get: JSON Schemas of bodies, by status."),
    steps: z.array(step),
  });
}

export const shallowDocument = documentSchema(z.unknown(), z.unknown());

/** The JSON Schema (2020-12) of the workflow file, for editors. */
export function workflowJsonSchema(): object {
  const step: z.ZodType = z.lazy(() => z.union(Object.values(deep))).meta({ id: "step" });
  const deep = stepSchemas(step);
  return {
    ...z.toJSONSchema(documentSchema(step, z.union(Object.values(triggerSchemas))), {
      unrepresentable: "any",
    }),
    title: "Copper Kettle workflow",
  };
}
