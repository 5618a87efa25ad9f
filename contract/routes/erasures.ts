import { route } from "../route.js";
import { z } from "zod";

/** A shorter value is found by chance. */
export const shortestErased = 8;

const erasure = z.object({
  runs: z.array(z.string()).meta({ description: "Runs that held the value, and hold it no more." }),
  refused: z.array(z.string()).meta({
    description:
      "Runs that hold the value and are under way, or whose results such a run uses. Nothing of them changed.",
  }),
  entries: z.number(),
  files: z.number(),
  samples: z.number(),
  tries: z.number(),
  activity: z.number(),
  drift: z.number(),
  events: z.number(),
  elsewhere: z.array(z.string()).meta({
    description:
      "Where else the value is: in texts of workflows, constants, remembered values. They did not change.",
  }),
});
export type ErasureReport = z.infer<typeof erasure>;

export const erasuresRoutes = {
  erase: route({
    method: "POST",
    path: "/api/erasures",
    summary: "Replace a value by [erased] in runs that have ended, in files, samples, tries and the activity",
    body: z.strictObject({
      value: z
        .string()
        .min(shortestErased, `at least ${shortestErased} characters; a shorter one is found by chance.`)
        .max(1_000, "at most 1,000 characters.")
        .meta({
          description:
            "The value, such as an e-mail address. Its URL-encoded and Base64 forms are found too.",
        }),
      dryRun: z.boolean().optional().meta({ description: "Whether to look only, and to change nothing." }),
    }),
    output: erasure,
    status: 200,
    needs: "owner",
  }),
} as const;
