import { bodyFieldsOf, bodyRuleFaults, type BodyField } from "../apis/body-fields.js";
import type { Catalogue } from "../apis/catalogue.js";
import { withIdsFrom } from "../apis/extensions.js";
import { operationById, type Operation } from "../apis/openapi.js";
import { parameterFaults } from "../apis/parameter-faults.js";
import { isObject, printJson, type Json, type JsonObject } from "../values/json.js";
import { nearest } from "../values/nearest.js";
import type { Path } from "../values/paths.js";
import type { Source } from "./source.js";
import { noPages } from "./steps.js";

/** What is checked: the catalogue, and the file in which problems are reported. */
interface Checking {
  catalogue: Catalogue;
  source: Source;
}

/** Whether an operation is there, takes what its step gives it, and gets all that it wants. */
export function checkOperation(
  { catalogue, source }: Checking,
  { api, id }: { api: string; id: string },
  step: JsonObject,
  path: Path,
): void {
  const at = [...path, "operation"];
  const operations = catalogue.operations(api);
  const meant = (word: string, words: string[]) => {
    const near = nearest(word, words);
    return near ? ` Did you mean "${near}"?` : "";
  };
  if (!operations) {
    const add = `Describe it with: ckettle api add ${api} FILE-OR-URL`;
    const near = meant(api, catalogue.apis());
    return source.report(at, "operation", `There is no API "${api}".${near} ${add}`);
  }
  const operation = operationById(operations, id);
  if (!operation) {
    const near = meant(
      id,
      operations.map((one) => one.id),
    );
    return source.report(at, "operation", `The API ${api} has no operation "${id}".${near}`);
  }
  if (step["pages"] === "all" && !operation.pages)
    source.report([...path, "pages"], "operation", noPages(api, id));
  const document = catalogue.document?.(api);
  const fields = document ? bodyFieldsOf(document, operation) : [];
  checkParameters(source, operation, fields, step, path);
  checkBody(source, operation, fields, step["body"], [...path, "body"]);
}

function checkParameters(
  source: Source,
  operation: Operation,
  fields: readonly BodyField[],
  { parameters }: JsonObject,
  path: Path,
): void {
  const given = isObject(parameters) ? parameters : {};
  const whole = withIdsFrom(operation, given);
  const known = (name: string): boolean => isConstant(given[name]);
  for (const { name, message } of parameterFaults(operation, whole, known, { fields })) {
    if (given[name] === undefined) source.report([...path, "operation"], "operation", message);
    else source.reportKey([...path, "parameters"], name, "operation", message);
  }
}

/** What stands in the body as it is holds to the rules of its fields. */
function checkBody(
  source: Source,
  operation: Operation,
  fields: readonly BodyField[],
  body: Json | undefined,
  path: Path,
): void {
  if (!isObject(body)) return;
  for (const kind of ["json", "form"])
    for (const { path: way, value, message } of bodyRuleFaults(operation, fields, body[kind], Date.now()))
      if (isConstant(value)) source.report([...path, kind, ...way], "operation", message);
}

/** Whether a value is known before a run; a template is not. */
function isConstant(value: Json | undefined): boolean {
  return !printJson(value ?? null).includes("${");
}
