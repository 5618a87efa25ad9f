import { z } from "zod";
import { route } from "./route.js";
import { name } from "./schemas.js";

const address = z.email();

/** Who is told when something needs a person, and how. Secrets are write-only: what is left out stays as it is. */
export const tellingInput = z.strictObject({
  webhook: z
    .strictObject({
      url: z.url({ protocol: /^https?$/ }),
      secret: z
        .string()
        .regex(/^whsec_[A-Za-z0-9+/=]{32,100}$/, "whsec_ and 24 to 64 bytes in Base64")
        .optional()
        .meta({
          description: "What deliveries are signed with (Standard Webhooks); left out, one is made or kept.",
        }),
    })
    .nullable()
    .optional(),
  mail: z
    .strictObject({
      host: z.string().min(1),
      port: z.int().min(1).max(65_535).default(587),
      tls: z
        .enum(["starttls", "from-the-start", "none"])
        .default("starttls")
        .meta({ description: "none is for a server on this machine." }),
      user: z.string().optional(),
      password: z.string().optional(),
      from: z.string().min(3),
      to: z.array(address).min(1),
    })
    .nullable()
    .optional(),
  workflows: z
    .record(name, z.strictObject({ off: z.boolean().optional(), to: z.array(address).min(1).optional() }))
    .optional()
    .meta({ description: "By workflow: not told at all, or told to others by mail." }),
});
export type TellingInput = z.output<typeof tellingInput>;

const telling = z.object({
  webhook: z.object({ url: z.string() }).nullable(),
  mail: z
    .object({
      host: z.string(),
      port: z.number(),
      tls: z.enum(["starttls", "from-the-start", "none"]),
      user: z.string().optional(),
      from: z.string(),
      to: z.array(z.string()),
    })
    .nullable(),
  workflows: z.record(
    z.string(),
    z.object({ off: z.boolean().optional(), to: z.array(z.string()).optional() }),
  ),
  waiting: z.number().meta({ description: "Messages that could not be delivered yet." }),
  lastFault: z.string().nullable(),
});
export type Telling = z.output<typeof telling>;

const bounds = {
  days: z.number().min(0.001).max(36_500).optional(),
  runs: z.int().min(1).max(10_000_000).optional(),
};
export const retention = z.strictObject({
  ...bounds,
  workflows: z.record(name, z.strictObject(bounds)).default({}),
});
export type Retention = z.output<typeof retention>;

/** Retention, telling people, backups. */
export const upkeepRoutes = {
  telling: route({
    method: "GET",
    path: "/api/settings/telling",
    summary: "Who is told when something needs a person",
    output: telling,
    status: 200,
  }),
  putTelling: route({
    method: "PUT",
    path: "/api/settings/telling",
    summary: "Say who is told when something needs a person; null takes a way away",
    body: tellingInput,
    output: telling.extend({
      secret: z.string().optional().meta({ description: "The signing secret that was made; shown once." }),
    }),
    status: 200,
    needs: "owner",
  }),
  tryTelling: route({
    method: "POST",
    path: "/api/settings/telling/try",
    summary: "Send a message by every way, and say what came of it",
    output: z.object({ sent: z.array(z.object({ by: z.string(), fault: z.string().nullable() })) }),
    status: 200,
    needs: "owner",
  }),
  retention: route({
    method: "GET",
    path: "/api/settings/retention",
    summary: "How long ended runs are kept, and how many of each workflow",
    output: retention,
    status: 200,
  }),
  putRetention: route({
    method: "PUT",
    path: "/api/settings/retention",
    summary: "Say how long ended runs are kept, and how many of each workflow",
    body: retention,
    output: retention,
    status: 200,
    needs: "owner",
  }),
  prune: route({
    method: "POST",
    path: "/api/retention/prune",
    summary: "Forget now what retention says; it also happens by itself, once a minute",
    output: z.object({ runs: z.number(), files: z.number() }),
    status: 200,
    needs: "owner",
  }),
  backup: route({
    method: "POST",
    path: "/api/backup",
    summary: "Write a consistent copy of everything, the sealing key included, under the folder of backups",
    body: z.strictObject({
      folder: z.string().min(1).max(4_000).optional().meta({
        description: "A name, or a path, under the folder of backups. Default: a new one.",
      }),
    }),
    output: z.object({ folder: z.string(), bytes: z.number(), files: z.number() }),
    status: 201,
    needs: "owner",
  }),
} as const;
