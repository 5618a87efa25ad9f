import { z } from "zod";
import { duration, expression, nameOf, template, value, values } from "./document-fields.js";

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
    .describe("The longest single wait; a response that asks for more fails the step."),
  jitter: z.number().min(0).max(1).optional().describe("Up to this fraction of a wait is added by chance."),
  waits: z.array(duration()).min(1).max(100).optional().describe("A ladder: one wait a repeat."),
  when: expression().optional().describe("Repeats also when this is true; adds to the usual reasons."),
  "only-when": expression().optional().describe("Repeats only when this is true."),
  after: expression()
    .optional()
    .describe("The wait that the response asks for in its body: seconds, or a duration such as 20s."),
});

/** The credential of a call, or several. */
export const using = () =>
  z
    .union([nameOf("credential"), z.array(nameOf("credential")).min(1).max(4)])
    .optional()
    .describe("The credential, or several that are applied in order. Default: the one of the API.");

/** Which call: of an operation, or to a URL. */
const target = {
  request: template().optional(),
  operation: nameOf("operation").optional(),
  parameters: values().optional(),
  using: using(),
  query: values().optional(),
  headers: values().optional(),
};

/** What every call may say of its body and of how it is sent. */
export const sending = {
  body: z
    .strictObject({
      json: value().optional(),
      form: values().optional(),
      multipart: values().optional(),
      text: template().optional(),
      xml: value().optional().describe("A text, or an object of which the XML is made: @name, #text, lists."),
      "json-lines": value().optional().describe("A list of values, sent one a line."),
      graphql: z
        .strictObject({
          query: template(),
          variables: value().optional(),
          operationName: template().optional(),
        })
        .optional()
        .describe("Sent as JSON; errors in the response count as a failure."),
      file: value().optional(),
    })
    .optional()
    .describe("In one kind: json, json-lines, form, multipart, text, xml, graphql or file."),
  effect: z.enum(["reads", "writes", "repeatable"]).optional(),
  timeout: z.strictObject({ connect: duration().optional(), response: duration().optional() }).optional(),
  redirects: z
    .enum(["follow", "none", "resend"])
    .optional()
    .describe("resend: a call that writes is sent again to where the response leads, on the same origin."),
  "if-match": expression()
    .optional()
    .describe("Only if it is as an earlier step read it, such as steps.read."),
  "if-none-match": expression()
    .optional()
    .describe("Only if it has changed since an earlier step read it; else the outcome says unchanged."),
  success: expression().optional().describe("Whether the response is a success; default: status 200 to 299."),
  retry: retry.optional(),
  read: z
    .union([
      z.enum(["json", "json-lines", "events", "xml", "csv", "text", "bytes"]),
      z.strictObject({
        csv: z.strictObject({
          separator: z.string().min(1).max(1).optional(),
          charset: z.string().optional(),
          header: z.boolean().optional().describe("Whether the first line names the columns; default: true."),
        }),
      }),
      z.strictObject({ text: z.strictObject({ charset: z.string().optional() }) }),
    ])
    .optional()
    .describe("How to read the body, where its media type is not what it is."),
  "stop-when": expression()
    .optional()
    .describe("Ends the reading of events or json-lines as soon as this is true of an `event`."),
  idempotency: z
    .union([
      z.literal("auto"),
      z.strictObject({
        key: template().optional().describe("Default: auto, a key of this step in this run."),
        in: z.enum(["header", "query", "body"]).optional().describe("Default: header."),
        name: z.string().optional().describe("Default: Idempotency-Key."),
      }),
    ])
    .optional()
    .describe("A key by which the API knows a repeat: makes it safe to send again."),
  "if-unsure": z
    .enum(["ask", "repeat", "fail", "probe"])
    .optional()
    .describe("What to do when nobody knows whether the call arrived; default: ask a person."),
  probe: z
    .strictObject({
      ...target,
      happened: expression().describe("Whether the API shows that the call arrived."),
      outcome: expression().optional().describe("What then counts as the body of the response."),
    })
    .optional()
    .describe("A reading call that tells whether a call of unknown fate arrived."),
  pages: z
    .union([
      z.literal("all").describe("All of them, as the document of the operation says (x-ckettle-pages)."),
      z.strictObject({
        by: z.enum(["link", "cursor", "page", "offset"]),
        items: expression()
          .optional()
          .describe("The items of one page; default: the body, where it is a list."),
        next: expression()
          .optional()
          .describe("The next page's cursor, or with link its URL; null or nothing at the last page."),
        param: z
          .string()
          .optional()
          .describe("The query parameter, header or field of the JSON body that says which page."),
        in: z.enum(["query", "body", "header"]).optional().describe("Where param goes; default: query."),
        size: z.int().min(1).optional().describe("Items a page: one with fewer is the last."),
        most: z.int().min(1).max(10_000).optional().describe("So many pages at most are asked for."),
      }),
    ])
    .optional(),
  until: z
    .strictObject({
      done: expression(),
      collect: expression().optional().describe("What each response adds to the list `items`."),
      every: duration().optional().describe("Default: 5s; a response's Retry-After counts over it."),
      within: duration().optional().describe("Default: 1h; then the step fails."),
      url: template()
        .optional()
        .describe("Where to ask, such as ${headers.location}; default: the same call again."),
    })
    .optional()
    .describe("Asks again until a condition is true."),
  "when-limited": z
    .enum(["wait", "skip"])
    .optional()
    .describe("What to do when the rate limit of the API allows no call now; default: wait."),
};

const { body, success, effect, timeout, idempotency } = sending;

/** A call inside a step of another type. */
export const innerCall = z.strictObject({
  ...target,
  body,
  success,
  retry: sending.retry,
  effect,
  timeout,
  idempotency,
  "if-unsure": sending["if-unsure"],
});
