import { route } from "../route.js";
import { nothing } from "./common.js";
import { z } from "zod";

export const sessionRoutes = {
  openSession: route({
    method: "POST",
    path: "/api/session",
    summary: "Exchange the code of a sign-in link for a session cookie",
    body: z.strictObject({ code: z.string() }),
    most: 16_000,
    output: nothing,
    status: 204,
    needs: "nothing",
  }),
  session: route({
    method: "GET",
    path: "/api/session",
    summary: "Who is signed in",
    output: z.object({ as: z.string() }),
    status: 200,
    needs: "token",
  }),
  closeSession: route({
    method: "DELETE",
    path: "/api/session",
    summary: "Sign out",
    output: nothing,
    status: 204,
    needs: "token",
  }),
  signInLink: route({
    method: "POST",
    path: "/api/session/links",
    summary: "Make a one-time sign-in link to the console, good for ten minutes",
    output: z.object({ url: z.string(), expiresAt: z.string() }),
    status: 201,
    needs: "token",
  }),
} as const;
