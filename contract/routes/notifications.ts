import { route } from "../route.js";
import { name } from "./common.js";
import { z } from "zod";

export const address = z.email();

/** Get who is notified when something needs a person, and how. Secrets are write-only: what is left out stays as it is. */
export const notificationsInput = z.strictObject({
  webhook: z
    .strictObject({
      url: z.url({ protocol: /^https?$/ }),
      secret: z
        .string()
        .regex(/^whsec_[A-Za-z0-9+/=]{32,100}$/, "whsec_ and 24 to 64 bytes in Base64")
        .optional()
        .meta({
          description:
            "The secret that signs deliveries (Standard Webhooks). Left out: generated, or the stored one.",
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
      authorities: z
        .string()
        .optional()
        .meta({ description: "Certificates of authorities to trust besides the usual ones, in PEM." }),
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
    .meta({ description: "By workflow: no notifications, or to other receivers by mail." }),
});

export type NotificationsInput = z.output<typeof notificationsInput>;

export const notifications = z.object({
  webhook: z.object({ url: z.string() }).nullable(),
  mail: z
    .object({
      host: z.string(),
      port: z.number(),
      tls: z.enum(["starttls", "from-the-start", "none"]),
      authorities: z.string().optional(),
      user: z.string().optional(),
      from: z.string(),
      to: z.array(z.string()),
    })
    .nullable(),
  workflows: z.record(
    z.string(),
    z.object({ off: z.boolean().optional(), to: z.array(z.string()).optional() }),
  ),
  waiting: z.number().meta({ description: "Messages that not delivered yet." }),
  lastFault: z.string().nullable(),
});

export type Notifications = z.output<typeof notifications>;

export const notificationsRoutes = {
  notifications: route({
    method: "GET",
    path: "/api/settings/notifications",
    summary: "Get who is notified when something needs a person",
    output: notifications,
    status: 200,
    needs: "token",
  }),
  putNotifications: route({
    method: "PUT",
    path: "/api/settings/notifications",
    summary: "Set who is notified when something needs a person; null removes a webhook or mail",
    body: notificationsInput,
    output: notifications.extend({
      secret: z.string().optional().meta({ description: "The generated signing secret, shown only once." }),
    }),
    status: 200,
    needs: "owner",
  }),
  tryNotifications: route({
    method: "POST",
    path: "/api/settings/notifications/try",
    summary: "Send a test notification, and report what happened",
    output: z.object({ sent: z.array(z.object({ by: z.string(), fault: z.string().nullable() })) }),
    status: 200,
    needs: "owner",
  }),
} as const;
