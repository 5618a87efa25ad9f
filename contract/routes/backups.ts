import { route } from "../route.js";
import { z } from "zod";

export const backupsRoutes = {
  backup: route({
    method: "POST",
    path: "/api/backup",
    summary: "Write a consistent copy of everything under the folder of backups",
    body: z.strictObject({
      folder: z.string().min(1).max(4_000).optional().meta({
        description: "A name, or a path, under the folder of backups. Default: a new one.",
      }),
      withKey: z.boolean().optional().meta({
        description:
          "Whether the sealing key is copied too. Without it no secret in the copy opens; with it all of them do.",
      }),
    }),
    output: z.object({ folder: z.string(), bytes: z.number(), files: z.number(), key: z.boolean() }),
    status: 201,
    needs: "owner",
  }),
} as const;
