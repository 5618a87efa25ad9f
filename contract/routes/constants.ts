import { route } from "../route.js";
import { json, jsonObject, nothing } from "./common.js";
import { z } from "zod";

export const constantsRoutes = {
  constants: route({
    method: "GET",
    path: "/api/constants",
    summary: "List the constants: named values that are not secrets, for every workflow",
    output: z.object({ constants: jsonObject }),
    status: 200,
    needs: "token",
  }),
  putConstant: route({
    method: "PUT",
    path: "/api/constants/{name}",
    summary: "Set a constant",
    params: z.object({ name: z.string().regex(/^[A-Za-z_][A-Za-z0-9_]{0,63}$/, "letters, digits and _") }),
    body: z.strictObject({ value: json }),
    output: z.object({ constants: jsonObject }),
    status: 200,
    needs: "token",
  }),
  removeConstant: route({
    method: "DELETE",
    path: "/api/constants/{name}",
    summary: "Remove a constant",
    params: z.object({ name: z.string() }),
    output: nothing,
    status: 204,
    needs: "token",
  }),
} as const;
