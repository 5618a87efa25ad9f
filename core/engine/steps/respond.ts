import { shapeCheck, type ShapeCheck } from "../../shapes/drift.js";
import { isObject, own, type Json, type JsonObject } from "../../values/json.js";
import { renderValue, type RespondStep } from "../../workflows/steps.js";
import type { StepLog } from "../replayed.js";
import { derivedSecrets } from "../secrets.js";
import { StepFailed } from "../signals.js";
import type { Frame } from "../frame.js";
import type { Walk } from "../walk.js";
import { evaluated, settled, takeEnded } from "./ended.js";

/** Gives the response to a starter that waits: once a run, and only after it is durable. */
export async function walkRespond(walk: Walk, step: RespondStep, frame: Frame, log: StepLog): Promise<void> {
  const path = frame.prefix + step.name;
  if (takeEnded(walk, step, frame, log)) {
    walk.write.responded = true;
    return;
  }
  walk.progress.check(frame, path);
  const at = walk.ports.clock.now();
  const scope = walk.read.scope(frame);
  const response = evaluated(walk, step, frame, log, () => {
    if (walk.write.responded)
      throw new StepFailed({
        code: "responded-twice",
        message: "The run has responded already. A run has one response.",
        step: path,
      });
    return walk.read.guarded(path, "respond", () => {
      const render = (value: RespondStep["body"]) =>
        value ? (renderValue(value, scope, walk.read.surroundings(path, at)) ?? null) : null;
      const response = {
        status: statusOf(render(step.status), path),
        headers: textHeaders(render(step.headers)),
        body: render(step.body),
      };
      requireFit(walk.workflow.responses, response, path);
      return response;
    });
  });
  const masked =
    step.body && derivedSecrets(walk, step.body, response.body, scope, [["steps", step.name, "body"]])
      ? [["outcome", "body"]]
      : [];
  settled(walk, step, frame, at, response, { masked });
  walk.write.responded = true;
  await walk.write.commit();
  walk.ports.respond(response);
}

function statusOf(value: Json, path: string): number {
  const status = typeof value === "string" && /^\d{3}$/.test(value) ? Number(value) : value;
  if (typeof status === "number" && Number.isInteger(status) && status >= 200 && status <= 599) return status;
  throw new StepFailed({
    code: "bad-value",
    message: `The status of a response is a number from 200 to 599, not ${String(value)}.`,
    step: path,
    field: "respond.status",
  });
}

function textHeaders(value: Json): JsonObject {
  if (!isObject(value)) return {};
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, text]) => text !== null)
      .map(([name, text]) => [name, String(text)]),
  );
}

const checks = new WeakMap<JsonObject, ShapeCheck>();

/** Where the file lists what a starter may get, it gets nothing else. */
function requireFit(
  responses: JsonObject | undefined,
  { status, body }: { status: number; body: Json },
  path: string,
): void {
  if (!responses) return;
  const fault = (message: string) =>
    new StepFailed({ code: "bad-response", message, step: path, field: "respond" });
  const schema = own(responses, String(status));
  if (!isObject(schema))
    throw fault(`The response has the status ${status}, which "responses" of the file does not list.`);
  let check = checks.get(schema);
  if (!check) checks.set(schema, (check = shapeCheck(schema)));
  const misfit = check(body).find(({ what }) => what !== "new-field");
  if (misfit)
    throw fault(
      `The response does not fit the schema for ${status} in "responses" of the file: ${misfit.path === "" ? "the body" : misfit.path} ${misfit.detail}`,
    );
}
