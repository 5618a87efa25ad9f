import { samplesRoutes, type BodyOf, type Client } from "@copper-kettle/contract";
import { say } from "../output.js";

type Saved = BodyOf<typeof samplesRoutes.saveSample>;

/** Saves a response as a sample of an operation, and says what became of the document. */
export async function keepSample(
  client: Client,
  operation: string,
  sample: string,
  from: Pick<Saved, "try" | "call">,
  shape: Saved["shape"],
): Promise<void> {
  const [name = "", ...rest] = operation.split(".");
  const { shaped, api } = await client.call(samplesRoutes.saveSample, {
    params: { name, id: rest.join("."), sample },
    body: { ...from, shape },
  });
  const document = shaped
    ? `its schema is in the document, at revision ${api.revision}`
    : "the document already has a schema, and was not changed";
  say(`Saved as the sample "${sample}"; ${shape === "leave" ? "the document was not changed" : document}.`);
}
