import type { JsonObject, Path, Principal, RunOptions, Trigger } from "@copper-kettle/core";
import type { FileOwner } from "../store/files.js";
import type { StoreRow } from "../store/writer.js";
import type { InputFault } from "./inputs.js";
import type { Share } from "./queue.js";

/** The inputs of a start are not as the workflow wants them. */
export class BadInputs extends Error {
  override name = "BadInputs";
  constructor(readonly faults: InputFault[]) {
    super(faults.map((fault) => fault.message).join(" "));
  }
}

/** What a run by hand was asked to do does not fit its workflow. */
export class BadOptions extends Error {
  override name = "BadOptions";
  constructor(readonly faults: InputFault[]) {
    super(faults.map((fault) => fault.message).join(" "));
  }
}

/** What was asked cannot be done in the state that the run is in. */
export class WrongState extends Error {
  override name = "WrongState";
}

/** The key of a start was given before, with other inputs. */
export class KeyReused extends Error {
  override name = "KeyReused";
  constructor(readonly run: string) {
    super("This key started a run with other inputs. Use another key for another start.");
  }
}

/** Too many runs of a workflow wait for their turn. */
export class QueueFull extends Error {
  override name = "QueueFull";
}

export interface StartRequest {
  workflow: string;
  version: number;
  /** The digest of the text that runs. */
  text: string;
  inputs: JsonObject;
  key: string | undefined;
  /** What the key does beyond that. */
  keyed?: {
    /** How long it counts, in milliseconds. */
    counts?: number | undefined;
    /** A run that failed does not count: the key starts another. */
    againAfterFailure?: boolean;
  };
  /** Other keys that it takes; its caller has made sure that they are free. */
  keys?: readonly string[];
  /** Who starts it. */
  by: Principal;
  /** In whose name it uses credentials: who published its version, or starts its draft; undefined: nobody known. */
  principal: Principal | undefined;
  /** What the trigger of the file brought that starts it. */
  trigger?: Omit<Trigger, "caller">;
  /** Rows that become durable with the start. */
  also?: (run: string) => StoreRow[];
  /** The run and step that start it. */
  caller?: NonNullable<Trigger["caller"]>;
  /** Whether the caller waits for it. */
  waited?: boolean;
  /** Whether somebody outside waits for its response. */
  awaited?: boolean;
  /** What has to be masked in it, besides its own. */
  secrets?: string[];
  /** Places that hold secrets, besides those that its inputs say: in the inputs, in fixed results, in steps. */
  secretPlaces?: Path[];
  options?: RunOptions;
  /** What it counts against besides its workflow's own limit. */
  shares?: Share[];
  /** Shares of which, when they are full, a start is left out. */
  skipIfFull?: readonly string[];
  /** The run whose ids it takes; missing: its own. */
  origin?: string;
  /** Whose files it may read as well: all of them, or some. */
  filesOf?: FileOwner & { ids?: readonly string[] };
}
