import {
  CredentialMissing,
  describeCredential,
  MaskSet,
  parseJson,
  printJson,
  secretsOf,
  type Credential,
} from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { CredentialRow } from "./models.js";
import type { Writer } from "./writer.js";

interface Opened {
  credential: Credential;
  hosts: string[];
}

/** Credentials: sealed in the database, opened once and kept in memory until they change. */
export class CredentialStore {
  readonly #opened = new Map<string, Opened>();
  readonly #used = new Map<string, number>();
  /** Every secret that this process knows of; logs are masked by it. */
  readonly masks = new MaskSet();

  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
  ) {}

  async loadAll(): Promise<void> {
    for (const row of await CredentialRow.findAll()) this.#open(row);
  }

  all(): Promise<CredentialRow[]> {
    return CredentialRow.findAll({ order: [["name", "ASC"]] });
  }

  lastUsed(row: CredentialRow): number | null {
    return this.#used.get(row.name) ?? row.lastUsedAt;
  }

  /** Adds a credential, or replaces one. */
  async put(name: string, credential: Credential, hosts: string[]): Promise<CredentialRow> {
    const sealed = this.sealer.seal(printJson(credential), `credential:${name}`);
    const shown = describeCredential(credential);
    const values = {
      name,
      kind: credential.kind,
      hosts: printJson(hosts),
      shown: printJson(shown),
      sealed,
      changedAt: Date.now(),
    };
    const row = await this.writer.write(async (transaction) => {
      const known = await CredentialRow.findByPk(name, { transaction });
      return known ? known.update(values, { transaction }) : CredentialRow.create(values, { transaction });
    });
    this.#opened.set(name, { credential, hosts });
    this.masks.add(secretsOf(credential));
    return row;
  }

  async remove(name: string): Promise<boolean> {
    this.#opened.delete(name);
    return this.writer.write(
      async (transaction) => (await CredentialRow.destroy({ where: { name }, transaction })) > 0,
    );
  }

  /**
   * The credential of a name, for a request to a URL.
   * @throws CredentialMissing when there is none, or when it is not meant for that host
   */
  async read(name: string, url: string): Promise<Credential> {
    const opened = this.#opened.get(name);
    if (!opened)
      throw new CredentialMissing(
        `There is no credential "${name}". Add it with: ckettle credential add ${name} --kind bearer`,
      );
    const { host, hostname } = new URL(url);
    if (opened.hosts.length > 0 && !opened.hosts.includes(host) && !opened.hosts.includes(hostname)) {
      throw new CredentialMissing(
        `The credential "${name}" is bound to ${opened.hosts.join(", ")} and is not sent to ${host}.`,
      );
    }
    this.#used.set(name, Date.now());
    return opened.credential;
  }

  /** Writes down when credentials were last used; called now and then, and at the end. */
  async saveUse(): Promise<void> {
    const used = [...this.#used];
    this.#used.clear();
    if (used.length === 0) return;
    await this.writer.write(async (transaction) => {
      for (const [name, at] of used)
        await CredentialRow.update({ lastUsedAt: at }, { where: { name }, transaction });
    });
  }

  #open(row: CredentialRow): void {
    const credential = parseJson(
      this.sealer.open(row.sealed, `credential:${row.name}`),
    ) as unknown as Credential;
    this.#opened.set(row.name, { credential, hosts: parseJson(row.hosts) as string[] });
    this.masks.add(secretsOf(credential));
  }
}
