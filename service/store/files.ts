import {
  isObject,
  RequestRefused,
  type BodyPieces,
  type FileAbout,
  type Json,
  type JsonObject,
} from "@copper-kettle/core";
import { createHash, randomBytes } from "node:crypto";
import type { Sealer } from "../sealing/keys.js";
import type { Blobs } from "./blobs.js";
import { select } from "./database.js";
import type { KeyedStatement } from "./statements.js";
import type { Writer } from "./writer.js";

/** What a file belongs to; it is forgotten with the last one that it belongs to. */
export interface FileOwner {
  kind: "run" | "event";
  id: string;
}

interface StoredFile {
  name: string;
  mediaType: string;
  sha256: string;
  size: number;
  sealed: number;
}

/** A file that is kept. */
export interface FoundFile extends BodyPieces {
  name: string;
  mediaType: string;
  /** Whether a secret shows in it. */
  isSecret: boolean;
}

/** Bytes with owners. Their ids are random: nobody can guess another run's file. */
export class FileStore {
  constructor(
    readonly writer: Writer,
    readonly blobs: Blobs,
    readonly sealer: Sealer,
  ) {}

  /**
   * Keeps bytes, sealed as a whole where a secret shows in them; what comes back is the value that steps see. They are
   * never all in memory.
   */
  async keep(
    owner: FileOwner,
    bytes: Iterable<Uint8Array> | AsyncIterable<Uint8Array>,
    { secret = false, ...about }: FileAbout,
  ): Promise<JsonObject> {
    const id = randomBytes(16).toString("base64url");
    const plain = new Counted(bytes);
    const { digest } = await this.blobs.keepPieces(
      secret ? this.sealer.sealPieces(plain.pieces(), boundTo(id)) : plain.pieces(),
    );
    const { size } = plain;
    await this.writer.commit({
      records: [],
      statements: [
        {
          key: `file ${id}`,
          into: "files (id, name, media_type, size, sha256, sealed, created_at)",
          values: [id, about.name, about.mediaType, size, digest, secret ? 1 : 0, Date.now()],
        },
        {
          key: `owner of ${id}`,
          into: "file_owners (file, owner_kind, owner)",
          values: [id, owner.kind, owner.id],
        },
      ],
    });
    // Of what is secret not even a digest is shown: short contents could be found by trying.
    return { file: id, ...about, size, sha256: secret ? this.sealer.digest(plain.digest) : digest };
  }

  /**
   * The bytes of a file of an owner, each time they are asked for.
   * @throws RequestRefused where it has none of this id
   */
  async open(owner: FileOwner, id: string): Promise<BodyPieces> {
    const found = await this.find(owner, id);
    if (!found) throw new RequestRefused("bad-request", `This run has no file "${id}".`);
    return found;
  }

  /** A file of an owner, with what is known of it; undefined where it has none of this id. */
  async find(owner: FileOwner, id: string): Promise<FoundFile | undefined> {
    const [row] = await select<StoredFile>(
      this.writer.store,
      `SELECT name, media_type AS mediaType, sha256, size, sealed FROM files JOIN file_owners ON file = id
        WHERE id = :id AND owner_kind = :kind AND owner = :owner`,
      { id, kind: owner.kind, owner: owner.id },
    );
    if (!row) return undefined;
    const pieces = (): AsyncIterable<Uint8Array> => {
      const stored = this.blobs.pieces(row.sha256);
      return row.sealed ? this.sealer.openPieces(stored, boundTo(id)) : stored;
    };
    const { name, mediaType, size, sealed } = row;
    return { name, mediaType, size, isSecret: sealed === 1, pieces };
  }
}

/** Gives one owner the files of another: those of some ids, or all. For the commit that makes it. */
export function inheritFiles(to: FileOwner, from: FileOwner, ids?: readonly string[]): KeyedStatement {
  return {
    key: `files of ${to.kind} ${to.id}`,
    sql: `INSERT OR IGNORE INTO file_owners (file, owner_kind, owner)
      SELECT file, ?, ? FROM file_owners
      WHERE owner_kind = ? AND owner = ? ${ids ? "AND file IN (SELECT value FROM json_each(?))" : ""}`,
    values: [to.kind, to.id, from.kind, from.id, ...(ids ? [JSON.stringify(ids)] : [])],
  };
}

/** The ids of the files in a value. A text that only looks like one gives nothing: its owner has no such file. */
export function filesIn(value: Json): string[] {
  const found: string[] = [];
  const walk = (inner: Json): void => {
    if (Array.isArray(inner)) for (const one of inner) walk(one);
    else if (isObject(inner))
      for (const [name, one] of Object.entries(inner))
        if (name === "file" && typeof one === "string") found.push(one);
        else walk(one);
  };
  walk(value);
  return found;
}

/** Bytes on their way, with their digest and their number when they have all passed. */
class Counted {
  readonly #hash = createHash("sha256");
  size = 0;

  constructor(readonly source: Iterable<Uint8Array> | AsyncIterable<Uint8Array>) {}

  async *pieces(): AsyncGenerator<Uint8Array> {
    for await (const piece of this.source) {
      this.#hash.update(piece);
      this.size += piece.length;
      yield piece;
    }
  }

  get digest(): string {
    return this.#hash.digest("hex");
  }
}

export const boundTo = (id: string): string => `file:${id}`;
