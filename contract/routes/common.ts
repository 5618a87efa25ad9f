import type { Json } from "@copper-kettle/core";
import { z } from "zod";

/** Any JSON value; numbers that a double does not hold keep their digits. */
export const json = z.any().meta({ description: "Any JSON value." }) as unknown as z.ZodType<Json>;

export const jsonObject = z.record(z.string(), json);

export const name = z
  .string()
  .regex(/^[a-z0-9](?:[a-z0-9-]{0,62}[a-z0-9])?$/, "a-z, 0-9 and dashes, at most 64 characters")
  .meta({ description: "a-z, 0-9 and dashes, at most 64 characters" });

export const problem = z
  .object({
    severity: z.enum(["error", "warning", "advice"]),
    code: z.string(),
    message: z.string(),
    line: z.number(),
    column: z.number(),
    endLine: z.number(),
    endColumn: z.number(),
    field: z.string(),
  })
  .meta({ id: "Problem", description: "A problem or an advice about a workflow file." });

/** RFC 9457, with what this service adds. */
export const problemDetails = z
  .object({
    type: z.string(),
    title: z.string(),
    status: z.number(),
    detail: z.string().optional(),
    /** Where the fault is: a field of the body, a query parameter. */
    errors: z.array(z.object({ field: z.string(), message: z.string() })).optional(),
    problems: z.array(problem).optional(),
    run: z.string().optional(),
  })
  .meta({ id: "ProblemDetails", description: "Problem details (RFC 9457)." });

export type ProblemDetails = z.output<typeof problemDetails>;

export const named = z.object({ name });

export const nothing = z.undefined();
