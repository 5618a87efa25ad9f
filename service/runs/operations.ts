import {
  operationById,
  responseMismatches,
  OperationMissing,
  exampleResponse,
  targetOf,
  type DescribedOperation,
} from "@copper-kettle/core";
import type { ApiStore } from "../store/apis.js";
import type { DriftStore } from "../store/drift.js";

/**
 * An operation as a run calls it: by the revision of its API's document that the run names. Where its responses depart
 * from their shapes is noted, as long as that revision is the current one.
 * @throws OperationMissing
 */
export async function describedOperation(
  { apis, drift }: { apis: Pick<ApiStore, "revision" | "get">; drift: Pick<DriftStore, "note"> },
  run: string,
  { api: name, id, revision }: { api: string; id: string; revision: number | undefined },
): Promise<DescribedOperation> {
  const read = await apis.revision(name, revision);
  const api = read?.api;
  const operation = operationById(api?.operations ?? [], id);
  if (!read || !api || !operation)
    throw new OperationMissing(
      api
        ? `The API ${name} has no operation "${id}".`
        : `There is no API "${name}"; describe it with: ckettle api add ${name} FILE-OR-URL`,
    );
  const target = targetOf(read.document, api, operation);
  if (!target)
    throw new OperationMissing(
      `The document of ${name} names no server; give one with: ckettle api add ${name} … --server URL`,
    );
  const mismatches: DescribedOperation["mismatches"] = (answer) => {
    const found = responseMismatches(read.document, operation, answer);
    if (apis.get(name)?.document === read.document)
      drift.note({ api: name, operation: id, status: answer.status, run }, found);
    return found;
  };
  return {
    ...target,
    mismatches,
    example: () => exampleResponse(read.document, operation),
  };
}
