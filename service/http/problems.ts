import { bounds, type Problem } from "@copper-kettle/core";
import type { ProblemDetails } from "@copper-kettle/contract";
import type { z } from "zod";
import { CannotRepeat, CredentialMissing, TransportFailure } from "@copper-kettle/core";
import { BadCredential } from "../credentials/input.js";
import { DamagedBody, storageFault } from "../store/faults.js";
import { ScanTooLong } from "../store/scans.js";
import { PathTaken } from "../store/triggers.js";
import { BackupFault } from "../upkeep/backup-fault.js";
import { KeyNotOurs } from "../sealing/sealing.js";
import { ApiConflict } from "../store/apis.js";
import { DraftConflict, HasProblems } from "../store/workflows.js";
import { BadInputs, BadOptions, KeyReused, QueueFull, WrongState } from "../runs/start-request.js";

/** A response that is not a success, as problem details (RFC 9457). `type` is stable; `detail` says what to do. */
export class HttpProblem extends Error {
  override name = "HttpProblem";
  constructor(
    readonly status: number,
    readonly type: string,
    readonly title: string,
    detail: string,
    readonly more: Partial<ProblemDetails> = {},
    readonly headers: Record<string, string> = {},
  ) {
    super(detail);
  }

  details(): ProblemDetails {
    return {
      type: `urn:copper-kettle:problem:${this.type}`,
      title: this.title,
      status: this.status,
      detail: this.message,
      ...this.more,
    };
  }
}

export function notFound(what: string, name: string): HttpProblem {
  return new HttpProblem(404, "not-found", "Not found", `There is no ${what} "${name}".`);
}

/** What Zod found in a request, field by field. */
export function invalid(where: "body" | "query" | "path", error: z.ZodError): HttpProblem {
  const errors = error.issues.flatMap((issue) => {
    const field = issue.path.map(String).join(".");
    if (issue.code === "unrecognized_keys")
      return issue.keys.map((key) => ({
        field: [field, key].filter(Boolean).join("."),
        message: "is not known here",
      }));
    return [{ field, message: issue.message.replace(/^Invalid input: /, "") }];
  });
  const said = errors.map(({ field, message }) => `${field || "it"}: ${message}`).join("; ");
  return new HttpProblem(400, "invalid-request", "Invalid request", `In the ${where}: ${said}.`, { errors });
}

/** The problem of an error that some part of the service threw; undefined for one that nobody foresaw. */
export function problemOf(error: unknown): HttpProblem | undefined {
  if (error instanceof HttpProblem) return error;
  const full = storageFault(error);
  if (full)
    return new HttpProblem(
      507,
      "storage",
      "Storage fails",
      `The service cannot read or write its data: ${full}. Nothing was changed. Check the disk and its free space, then try again.`,
    );
  if (error instanceof DamagedBody)
    return new HttpProblem(507, "damaged", "The storage is damaged", error.message);
  if (error instanceof BadInputs) {
    return new HttpProblem(422, "bad-inputs", "Invalid inputs", error.message, {
      errors: error.faults.map(({ field, message }) => ({
        field: `inputs.${field}`.replace(/\.$/, ""),
        message,
      })),
    });
  }
  if (error instanceof BadOptions)
    return new HttpProblem(422, "bad-options", "This does not match the workflow", error.message, {
      errors: error.faults,
    });
  if (error instanceof ScanTooLong)
    return new HttpProblem(
      503,
      "search-too-long",
      "There is too much to search",
      `${error.message} Ask for less: one workflow, one state, or a shorter time.`,
    );
  if (error instanceof BackupFault)
    return new HttpProblem(409, "backup", "The backup cannot be written", error.message);
  if (error instanceof CannotRepeat)
    return new HttpProblem(409, "cannot-repeat", "This run cannot be repeated that way", error.message);
  if (error instanceof HasProblems) {
    const problems: Problem[] = error.problems;
    const first = problems.find((problem) => problem.severity === "error");
    const where = first ? ` Line ${first.line}, column ${first.column}: ${first.message}` : "";
    return new HttpProblem(
      422,
      "workflow-problems",
      "The workflow has problems",
      `${error.message}${where}`,
      { problems },
    );
  }
  if (error instanceof DraftConflict)
    return new HttpProblem(409, "draft-conflict", "The draft was changed by somebody else", error.message);
  if (error instanceof ApiConflict)
    return new HttpProblem(409, "api-conflict", "The API was changed by somebody else", error.message);
  if (error instanceof PathTaken)
    return new HttpProblem(409, "path-taken", "The path is taken", error.message);
  if (error instanceof KeyReused)
    return new HttpProblem(422, "key-reused", "The key was used for another start", error.message);
  if (error instanceof WrongState)
    return new HttpProblem(409, "wrong-state", "Not possible in this state", error.message);
  if (error instanceof BadCredential)
    return new HttpProblem(
      422,
      error.field.startsWith("scheme") ? "bad-scheme" : "bad-secret",
      `This cannot be the ${error.field}`,
      error.message,
      { errors: [{ field: error.field, message: error.message }] },
    );
  if (error instanceof CredentialMissing)
    return new HttpProblem(409, "credential", "The credential cannot be used for this", error.message);
  if (error instanceof TransportFailure)
    return new HttpProblem(502, "no-response", "The API gave no response", error.message);
  if (error instanceof KeyNotOurs)
    return new HttpProblem(409, "key-not-ours", "The key is set by the environment", error.message);
  if (error instanceof QueueFull)
    return new HttpProblem(
      429,
      "queue-full",
      "Too many runs are waiting",
      error.message,
      {},
      { "Retry-After": "10" },
    );
  return refusedByServer(error);
}

/** The refusal of a body of which no more than so many bytes are read. */
export function tooLarge(limit: number): HttpProblem {
  const detail = `A request may be ${limit / 1e6} MB long here.`;
  return new HttpProblem(413, "too-large", "The body is too large", detail);
}

/** What Express and its readers of bodies and URLs refuse, by the status that they give it. */
function refusedByServer(error: unknown): HttpProblem | undefined {
  const { status, message, limit } = (error ?? {}) as { status?: unknown; message?: string; limit?: number };
  switch (status) {
    case 413:
      return tooLarge(limit ?? bounds.requestBody);
    case 415:
      return new HttpProblem(415, "unsupported-media-type", "The body cannot be read", `${message}.`);
    default:
      return typeof status === "number" && status >= 400 && status <= 499
        ? new HttpProblem(400, "invalid-request", "Invalid request", `${message}.`)
        : undefined;
  }
}
