import { routes } from "@copper-kettle/contract";
import { pictureTypes } from "@copper-kettle/core";
import type { Express } from "express";
import { once } from "node:events";
import { Readable } from "node:stream";
import { pipeline } from "node:stream/promises";
import type { Context } from "../context.js";
import { findRun } from "../found.js";
import { HttpProblem, notFound } from "../problems.js";
import { sandboxed } from "../replies.js";
import { answered, goneOf, serve } from "../serve-route.js";

export function serveFiles(app: Express, context: Context): void {
  const { files, log } = context;
  serve(app, routes.runFile, async ({ params, response }) => {
    const run = await findRun(context, params.id);
    const found = await files.find({ kind: "run", id: run.id }, params.file);
    if (!found) throw notFound("file of this run", params.file);
    if (found.isSecret) {
      const detail = "A secret shows in this file. Only steps of the run may read it.";
      throw new HttpProblem(403, "secret-file", "Not shown", detail);
    }
    const bytes = Readable.from(found.pieces(), { objectMode: false });
    // What is damaged from its beginning is refused as such; nothing of it was sent yet.
    await once(bytes, "readable");
    // What an API sent is no page of ours: only pictures are shown, and nothing in them runs.
    const isPicture = pictureTypes.has(found.mediaType);
    // Of its name only the end is looked at to guess a type, which is not what it has here.
    response
      .status(200)
      .attachment(found.name)
      .set("Content-Security-Policy", sandboxed)
      .set("Content-Type", isPicture ? found.mediaType : "application/octet-stream")
      .set("Content-Length", String(found.size));
    if (isPicture) response.set("Content-Disposition", "inline");
    const gone = goneOf(response);
    try {
      await pipeline(bytes, response, { signal: gone });
    } catch (error) {
      // Who asked may have seen enough. Of all else they see that bytes are missing: their number was said.
      if (!gone.aborted) log.error({ err: error, run: run.id, file: params.file }, "a file broke off");
    }
    return answered;
  });
}
