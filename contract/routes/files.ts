import { route } from "../route.js";
import { z } from "zod";

export const filesRoutes = {
  runFile: route({
    method: "GET",
    path: "/api/runs/{id}/files/{file}",
    summary: "Get the bytes of a file that a run holds; refused for one in which a secret shows",
    params: z.object({ id: z.string().min(1), file: z.string().min(1).max(100) }),
    output: z.any().meta({ description: "Bytes: a picture with its media type, all else as a download." }),
    status: 200,
    needs: "token",
    bytes: true,
  }),
};
