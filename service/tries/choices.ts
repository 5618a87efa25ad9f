import {
  bodyFieldsOf,
  choicesIn,
  ExpressionError,
  fieldNamed,
  operationName,
  type Choice,
  type Operation,
  type Principal,
} from "@copper-kettle/core";
import type { OpenApi } from "../store/apis.js";
import { BadTry, prepareTry, type Prepared } from "./prepare.js";
import { masksOf, tryNow, type TryParts } from "./try.js";

/** No choices could be had, in plain words. */
export class NoChoices extends Error {
  override name = "NoChoices";
}

/**
 * The choices of a parameter or a field of the body, by a real call of the operation that gives them.
 * @param allowed told of the call before it is sent; throws where the person may not make it
 * @throws NoChoices
 */
export async function choicesFor(
  parts: TryParts,
  { open, operation }: { open: OpenApi; operation: Operation },
  of: string,
  by: Principal,
  allowed: (prepared: Prepared) => void,
): Promise<Choice[]> {
  const found =
    operation.parameters.find(({ name }) => name === of) ??
    fieldNamed(bodyFieldsOf(open.document, operation), of);
  const from = found?.choicesFrom;
  if (!from) throw new NoChoices(`No other operation gives the choices of "${of}".`);
  const name = operationName(from.operation) ? from.operation : `${open.name}.${from.operation}`;
  try {
    const prepared = await prepareTry(parts.apis, { operation: name, parameters: from.parameters });
    if (prepared.effect !== "reads") throw new NoChoices(`${name} does not only read.`);
    allowed(prepared);
    const { status, failure, explanation, body } = await tryNow(
      parts,
      prepared,
      by,
      masksOf(parts, prepared),
    );
    if (status === null || status >= 400)
      throw new NoChoices(`${name}: ${failure?.message ?? `${status}. ${explanation ?? ""}`}`.trim());
    return choicesIn(from, body);
  } catch (error) {
    if (error instanceof BadTry || error instanceof ExpressionError)
      throw new NoChoices(`${name}: ${error.message}`);
    throw error;
  }
}
