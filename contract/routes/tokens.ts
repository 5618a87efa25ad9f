import { route } from "../route.js";
import { name, named, nothing } from "./common.js";
import { z } from "zod";

export const token = z.object({ name: z.string(), createdAt: z.string() });

export const tokensRoutes = {
  listTokens: route({
    method: "GET",
    path: "/api/tokens",
    summary: "List the access tokens by name; never the tokens themselves",
    output: z.object({ tokens: z.array(token) }),
    status: 200,
    needs: "token",
  }),
  createToken: route({
    method: "POST",
    path: "/api/tokens",
    summary: "Create an access token; it is shown only once",
    body: z.strictObject({ name }),
    output: token.extend({ token: z.string() }),
    status: 201,
    needs: "owner",
  }),
  removeToken: route({
    method: "DELETE",
    path: "/api/tokens/{name}",
    summary: "Revoke an access token; it stops working immediately",
    params: named,
    output: nothing,
    status: 204,
    needs: "token",
  }),
} as const;
