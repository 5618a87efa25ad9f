import {
  ChildRefused,
  CredentialMissing,
  principalName,
  RequestRefused,
  type Transport,
} from "@copper-kettle/core";
import type { GrantStore, Needed } from "../store/grants.js";
import type { RunRecord } from "../store/models.js";

/** What a run's version may use, asked at each use: a grant that was withdrawn holds no more from then on. */
export class Granted {
  constructor(
    readonly grants: GrantStore,
    readonly run: Pick<RunRecord, "workflow" | "version">,
  ) {}

  /** @throws CredentialMissing */
  requireCredential(name: string): void {
    const why = this.#withdrawn({ kind: "credential", name });
    if (why) throw new CredentialMissing("not-allowed", `The credential "${name}" may not be used: ${why}`);
  }

  /** @throws ChildRefused */
  requireWorkflow(name: string): void {
    const why = this.#withdrawn({ kind: "workflow", name });
    if (why) throw new ChildRefused("not-allowed", `The workflow ${name} may not be called: ${why}`);
  }

  /** A transport that sends to no host of which the grant was withdrawn. */
  transport(transport: Transport): Transport {
    return {
      send: async (request, options) => {
        const { host } = new URL(request.url);
        const why = this.#withdrawn({ kind: "host", name: host });
        if (why) throw new RequestRefused("address-refused", `Nothing may be sent to ${host}: ${why}`);
        return transport.send(request, options);
      },
    };
  }

  #withdrawn(needed: Needed): string | undefined {
    const { workflow, version } = this.run;
    const by = this.grants.withdrawnBy({ workflow, version, ...needed });
    return by === undefined
      ? undefined
      : `${principalName(by)} withdrew that from version ${version} of ${workflow}. Who may use it can publish the workflow again.`;
  }
}
