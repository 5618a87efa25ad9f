import type { Kind, Value } from "../values.js";
import type { CallContext, FunctionEntry, Parameter } from "./entry.js";

/** Shortcuts for entries of the library. */
export const text = (name = "text"): Parameter => ({ name, kinds: ["text"] });
export const number = (name = "number"): Parameter => ({ name, kinds: ["number"] });
export const list = (name = "list"): Parameter => ({ name, kinds: ["list"] });
export const object = (name = "object"): Parameter => ({ name, kinds: ["object"] });
export const time = (name = "time"): Parameter => ({ name, kinds: ["timestamp"] });
export const any = (name = "value"): Parameter => ({ name, kinds: "any" });
export const maybe = (parameter: Parameter): Parameter => ({ ...parameter, optional: true });

/** One entry. The arguments of `call` have the kinds that `parameters` say: they are checked before. */
export function define<Args extends readonly unknown[]>(
  name: string,
  form: FunctionEntry["form"],
  parameters: Parameter[],
  result: Kind | "any",
  help: string,
  examples: FunctionEntry["examples"],
  call: (args: Args, context: CallContext) => Value,
): FunctionEntry {
  return { name, form, parameters, result, help, examples, call: call as unknown as FunctionEntry["call"] };
}
