import { route } from "../route.js";
import { z } from "zod";

export const sealingKeyRoutes = {
  rotateKey: route({
    method: "POST",
    path: "/api/sealing-key/rotate",
    summary: "Make a new sealing key, and wrap the data keys with it; sealed secrets stay as they are",
    output: z.object({ dataKeys: z.number() }),
    status: 200,
    needs: "owner",
  }),
} as const;
