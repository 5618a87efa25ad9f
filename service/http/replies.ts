import { mayRespondWith, type JsonObject } from "@copper-kettle/core";
import type { Response } from "express";
import type { RunRecord } from "../store/models.js";
import type { Context } from "./context.js";
import { HttpProblem } from "./problems.js";
import { sendJson } from "./serve-route.js";
import { runView } from "./run-view.js";

/** A page that is opened from a workflow's response can do nothing, and reads nothing of ours. */
export const sandboxed = "sandbox; default-src 'none'";

interface Given {
  status: number;
  headers: JsonObject;
  body: unknown;
}

/**
 * Waits for a run's response and sends it. False when it did not come in time, or cannot: the run is unsure, waits
 * for a person, or sleeps past that time; then nothing was sent.
 * @param wait milliseconds
 */
export async function replied(
  context: Context,
  run: string,
  wait: number,
  response: Response,
): Promise<boolean> {
  const { runner, journals, log } = context;
  const end = Date.now() + wait;
  let over = false;
  let resolve: (sent: boolean) => void = () => undefined;
  const done = new Promise<boolean>((settle) => (resolve = settle));
  // The response, the end of the run and the end of the wait may come at once: the first of them counts.
  const settle = (write?: () => void): void => {
    if (over) return;
    over = true;
    try {
      write?.();
    } catch (error) {
      // A header that cannot be sent, say; the run goes on all the same.
      sendProblem(
        response,
        "bad-response",
        "The run's response cannot be sent",
        (error as Error).message,
        run,
      );
    }
    resolve(write !== undefined);
  };
  const look = async (): Promise<void> => {
    const row = await journals.runs.find(run);
    const given = await journals.response(run);
    if (given) settle(() => sendGiven(response, run, given));
    else if (!row || row.state === "unsure" || row.state === "parked") settle();
    else if (row.state === "waiting" && (row.wakeAt ?? Number.POSITIVE_INFINITY) > end) settle();
    else if (row.endedAt !== null) settle(() => sendEnd(response, row));
  };
  const tryLook = (): Promise<void> =>
    look().catch((error: unknown) => {
      log.error({ err: error, run }, "a run that somebody waits for could not be looked up");
      settle();
    });
  const onResponse = (id: string, given: Given): void => {
    if (id === run) settle(() => sendGiven(response, run, given));
  };
  const onRested = (id: string): void => {
    if (id === run) void tryLook();
  };
  const timer = setTimeout(() => settle(), wait);
  // Whoever waited may have gone.
  const onClose = (): void => settle();
  response.on("close", onClose);
  runner.events.on("response", onResponse).on("rested", onRested);
  try {
    await tryLook();
    return await done;
  } finally {
    clearTimeout(timer);
    response.off("close", onClose);
    runner.events.off("response", onResponse).off("rested", onRested);
  }
}

function sendGiven(response: Response, run: string, { status, headers, body }: Given): void {
  const refused = Object.keys(headers).find((name) => !mayRespondWith(name));
  if (refused !== undefined) throw new Error(`A workflow's response may not have the header ${refused}.`);
  response.set("X-Ckettle-Run", run);
  for (const [name, value] of Object.entries(headers)) response.set(name, String(value));
  // Whatever it is, it is no page of ours.
  response.set("Content-Security-Policy", sandboxed).set("X-Content-Type-Options", "nosniff");
  if (body === null || status === 204) response.status(status).end();
  else if (typeof body === "string")
    response
      .status(status)
      .type(response.get("Content-Type") ?? "text/plain")
      .send(body);
  else sendJson(response, status, body);
}

/** The end of a run that gave no response: 204 for a success, else 502 with the reason. */
function sendEnd(response: Response, row: RunRecord): void {
  if (row.state === "succeeded") {
    response.status(204).set("X-Ckettle-Run", row.id).end();
    return;
  }
  const { error, message } = runView(row, false);
  if (row.state === "skipped")
    return sendProblem(response, "busy", "Busy", message ?? "The run was skipped.", row.id, 409);
  const title = `The run ${row.state === "failed" ? "failed" : "was stopped"}`;
  sendProblem(
    response,
    `run-${row.state}`,
    title,
    error?.message ?? message ?? "The run has no response.",
    row.id,
  );
}

function sendProblem(
  response: Response,
  type: string,
  title: string,
  detail: string,
  run: string,
  status = 502,
): void {
  sendJson(
    response,
    status,
    new HttpProblem(status, type, title, detail, { run }).details(),
    "application/problem+json",
  );
}
