import {
  describeCredential,
  MaskSet,
  parseJson,
  printJson,
  secretsOf,
  type Credential,
  type Json,
} from "@copper-kettle/core";
import type { Sealer } from "../sealing/keys.js";
import { CredentialRow } from "./models.js";
import type { UsableCredentials } from "./usable.js";
import type { Writer } from "./writer.js";

/** How a credential last failed. */
export interface CredentialFault {
  /** `sign-in` where a person has to sign in; else the code of an explanation. */
  code: string;
  sentence: string;
  /** Milliseconds since 1970. */
  at: number;
}

/** What was sent and answered at the last login of a credential, without any value that is secret. */
export interface LoginExchange {
  /** Milliseconds since 1970. */
  at: number;
  took?: number;
  request: { method: string; url: string; headers: [string, string][]; body: string | null };
  response: { status: number; headers: [string, string][]; body: Json } | null;
  /** Why it gave no token; null where it did. */
  failure: string | null;
}

/** How the logins of a credential fared. */
export interface LoginNotes {
  exchange: LoginExchange | null;
  /** How many failed on end, and until when none is tried: accounts are not to be locked. */
  failures: number;
  until: number;
}

/** A credential as it is known while the service runs. */
export interface OpenCredential {
  name: string;
  credential: Credential;
  /** What it replaced, and until when that still holds. */
  replaced: { credential: Credential; until: number } | undefined;
  hosts: string[];
  /** When its secret ends, as a person said. */
  endsAt: number | null;
  mayUse: string[];
  mayChange: string[];
  changedAt: number;
  lastUsedAt: number | null;
  lastWorkedAt: number | null;
  fault: CredentialFault | null;
  login: LoginNotes;
}

/** What a person sets of a credential. */
export interface CredentialSettings {
  hosts: string[];
  endsAt: number | null;
  mayUse: string[];
  mayChange: string[];
}

const noLogin: LoginNotes = { exchange: null, failures: 0, until: 0 };

/** Credentials: sealed in the database, opened once and then read from memory until they change. */
export class CredentialStore {
  readonly #opened = new Map<string, OpenCredential>();
  /** Those whose times of use, or fault, are newer than the database's. */
  readonly #touched = new Set<string>();

  constructor(
    readonly writer: Writer,
    readonly sealer: Sealer,
    readonly usable: UsableCredentials,
    /** Every secret that this process knows of; logs are masked by it. */
    readonly masks = new MaskSet(),
  ) {}

  async loadAll(): Promise<void> {
    for (const row of await CredentialRow.findAll()) this.#take(this.#open(row));
  }

  /** All of them, by name. */
  all(): OpenCredential[] {
    return [...this.#opened.values()].sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  get(name: string): OpenCredential | undefined {
    return this.#opened.get(name);
  }

  /**
   * Adds a credential, or replaces one.
   * @param overlap how long what it replaces still holds, in milliseconds; 0: no longer
   */
  async put(
    name: string,
    credential: Credential,
    settings: CredentialSettings,
    overlap = 0,
  ): Promise<OpenCredential> {
    const before = this.#opened.get(name);
    const now = Date.now();
    const replaced =
      before && overlap > 0 ? { credential: before.credential, until: now + overlap } : undefined;
    const open: OpenCredential = {
      name,
      credential,
      replaced,
      ...settings,
      changedAt: now,
      lastUsedAt: before?.lastUsedAt ?? null,
      lastWorkedAt: null,
      fault: null,
      login: noLogin,
    };
    const values = {
      name,
      kind: credential.kind,
      hosts: printJson(settings.hosts),
      shown: printJson(describeCredential(credential)),
      sealed: this.#seal(name, credential),
      replaced: replaced ? this.#seal(name, replaced.credential) : null,
      replacedUntil: replaced?.until ?? null,
      endsAt: settings.endsAt,
      mayUse: printJson(settings.mayUse),
      mayChange: printJson(settings.mayChange),
      changedAt: now,
      lastWorkedAt: null,
      fault: null,
      login: null,
    };
    await this.writer.write(async (transaction, unit) => {
      const known = await CredentialRow.findByPk(name, { transaction });
      if (known) await known.update(values, { transaction });
      else await CredentialRow.create(values, { transaction });
      unit.after(() => this.#take(open));
      await this.usable.note(name, unit);
    });
    return open;
  }

  async remove(name: string): Promise<boolean> {
    const removed = await this.writer.write(
      async (transaction) => (await CredentialRow.destroy({ where: { name }, transaction })) > 0,
    );
    this.#opened.delete(name);
    this.#touched.delete(name);
    return removed;
  }

  noteUse(name: string): void {
    this.#touch(name, { lastUsedAt: Date.now() });
  }

  noteWorked(name: string): void {
    this.#touch(name, { lastWorkedAt: Date.now(), fault: null });
  }

  /** Keeps how a credential failed; null when nothing is wrong any more. Resolves when it is durable. */
  async noteFault(name: string, fault: CredentialFault | null): Promise<void> {
    if (!this.#touch(name, { fault })) return;
    await this.saveUse();
  }

  /** Keeps what came of a login; written down with the next fault or use. */
  noteLogin(name: string, change: Partial<LoginNotes>): void {
    const open = this.#opened.get(name);
    if (open) this.#touch(name, { login: { ...open.login, ...change } });
  }

  /** Writes down when credentials were last used, and how they fared; called now and then, and at the end. */
  async saveUse(): Promise<void> {
    const touched = [...this.#touched].map((name) => this.#opened.get(name));
    this.#touched.clear();
    if (touched.length === 0) return;
    await this.writer.write(async (transaction) => {
      for (const open of touched) {
        if (!open) continue;
        const { name, lastUsedAt, lastWorkedAt, fault, login } = open;
        const values = {
          lastUsedAt,
          lastWorkedAt,
          fault: fault ? printJson({ ...fault }) : null,
          login: login === noLogin ? null : printJson({ ...login } as unknown as Json),
        };
        await CredentialRow.update(values, { where: { name }, transaction });
      }
    });
  }

  #touch(name: string, change: Partial<OpenCredential>): boolean {
    const open = this.#opened.get(name);
    if (!open) return false;
    Object.assign(open, change);
    this.#touched.add(name);
    return true;
  }

  #take(open: OpenCredential): void {
    this.#opened.set(open.name, open);
    this.masks.add(secretsOf(open.credential));
    if (open.replaced) this.masks.add(secretsOf(open.replaced.credential));
  }

  #seal(name: string, credential: Credential): Buffer {
    return this.sealer.seal(printJson(credential), `credential:${name}`);
  }

  #open(row: CredentialRow): OpenCredential {
    const unseal = (sealed: Buffer) =>
      parseJson(this.sealer.open(sealed, `credential:${row.name}`)) as unknown as Credential;
    const list = (text: string) => parseJson(text) as string[];
    return {
      name: row.name,
      credential: unseal(row.sealed),
      replaced:
        row.replaced && (row.replacedUntil ?? 0) > Date.now()
          ? { credential: unseal(row.replaced), until: row.replacedUntil as number }
          : undefined,
      hosts: list(row.hosts),
      endsAt: row.endsAt,
      mayUse: list(row.mayUse),
      mayChange: list(row.mayChange),
      changedAt: row.changedAt,
      lastUsedAt: row.lastUsedAt,
      lastWorkedAt: row.lastWorkedAt,
      fault: row.fault ? (parseJson(row.fault) as unknown as CredentialFault) : null,
      login: row.login ? (parseJson(row.login) as unknown as LoginNotes) : noLogin,
    };
  }
}
