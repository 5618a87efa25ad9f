import { operationName, type Catalogue } from "../apis/catalogue.js";
import { operationById } from "../apis/openapi.js";
import { exampleResponse } from "../apis/responses.js";
import type { ShapeScope } from "../shapes/check.js";
import { sampleOfShape } from "../shapes/sample.js";
import { isObject, own, setOwn, type Json, type JsonObject } from "../values/json.js";
import { stepsOf } from "./steps.js";

/** What belongs to a run itself has no sample. */
const ofRuns = new Set(["constants", "run"]);

/**
 * Values as expressions at a place may see them, before anything has run: the responses that the documents of APIs show, else what
 * the shapes say.
 * @param scope the shapes of the names in scope there
 * @param file the value of the file, where it can be read
 */
export function samplesOf(
  scope: ShapeScope,
  file: Json | undefined,
  catalogue: Pick<Catalogue, "operations" | "document">,
): JsonObject {
  const samples: JsonObject = {};
  for (const [name, shape] of scope) {
    const sample = ofRuns.has(name) ? undefined : sampleOfShape(shape);
    if (sample !== undefined) setOwn(samples, name, sample);
  }
  const steps = own(samples, "steps");
  if (!isObject(steps) || file === undefined) return samples;
  for (const { step } of stepsOf(file)) {
    const name = String(step["step"]);
    const sample = own(steps, name);
    const shown = isObject(sample) ? shownResponse(String(step["operation"] ?? ""), catalogue) : undefined;
    if (shown) setOwn(steps, name, { ...(sample as JsonObject), ...shown });
  }
  return samples;
}

/** The response that the document of an API shows for an operation. */
function shownResponse(
  name: string,
  catalogue: Pick<Catalogue, "operations" | "document">,
): JsonObject | undefined {
  const parts = operationName(name);
  const operation = parts && operationById(catalogue.operations(parts.api) ?? [], parts.id);
  const document = parts && catalogue.document?.(parts.api);
  if (!operation || !document) return undefined;
  const shown = exampleResponse(document, operation);
  return !shown || shown.body === null ? undefined : { status: shown.status, body: shown.body };
}
