import type { Proof } from "../../../credentials/credential.js";
import type { SeenResponse } from "../../../credentials/login.js";
import type { CredentialUse, Credentials } from "../../ports.js";

/** Whether a response refuses what proved the call: by status 401, or as the credential says. */
export function isRefusal(use: CredentialUse, response: SeenResponse): boolean {
  return use.refusedBy ? use.refusedBy(response) : response.status === 401;
}

/** The credentials of one call, ready for one send: applied in their order. */
export async function usesOf(
  credentials: Credentials,
  names: readonly string[],
  url: string,
): Promise<CredentialUse | undefined> {
  const uses: CredentialUse[] = [];
  for (const name of names) uses.push(await credentials.read(name, url));
  const [first, second] = uses;
  if (!first || !second) return first;
  return {
    proof: {
      kind: "several",
      proofs: uses.flatMap(({ proof }): Proof[] => (proof.kind === "several" ? proof.proofs : [proof])),
    },
    refusedBy: (response) => uses.some((use) => isRefusal(use, response)),
    // Nobody says which of them was refused: each may have another proof.
    refused: async () => (await Promise.all(uses.map((use) => use.refused()))).includes(true),
    accepted: () => uses.forEach((use) => use.accepted()),
  };
}
