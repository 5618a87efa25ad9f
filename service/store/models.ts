import {
  DataTypes,
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from "sequelize";
import { defineApiModels } from "./api-models.js";
import { definePeopleModels } from "./people-models.js";
import { bytes, integer, key, optionalInteger, optionalText, text } from "./columns.js";

/** Times are milliseconds since 1970; JSON stands as text, so that numbers keep their digits. */
export class TextRow extends Model<InferAttributes<TextRow>, InferCreationAttributes<TextRow>> {
  declare digest: string;
  declare text: string;
  /** Since when nothing names it; it is forgotten some time later. */
  declare unusedSince: CreationOptional<number | null>;
}

export class WorkflowRow extends Model<InferAttributes<WorkflowRow>, InferCreationAttributes<WorkflowRow>> {
  declare name: string;
  declare title: string | null;
  declare draft: string;
  declare revision: number;
  declare published: number | null;
  declare problems: number;
  declare changedAt: number;
}

export class VersionRow extends Model<InferAttributes<VersionRow>, InferCreationAttributes<VersionRow>> {
  declare workflow: string;
  declare version: number;
  declare text: string;
  declare publishedAt: number;
  declare publishedBy: string;
}

export class RunRow extends Model<InferAttributes<RunRow>, InferCreationAttributes<RunRow>> {
  declare id: string;
  declare workflow: string;
  declare version: number;
  declare text: string;
  declare origin: string;
  declare state: string;
  declare trigger: string;
  declare createdAt: number;
  declare startedAt: CreationOptional<number | null>;
  declare endedAt: CreationOptional<number | null>;
  declare wakeAt: CreationOptional<number | null>;
  /** What it waits for: its kind, a colon, and its name. */
  declare waits: CreationOptional<string>;
  declare parent: CreationOptional<string | null>;
  /** In whose name it uses credentials: who published its version, or started its draft. */
  declare principal: CreationOptional<string | null>;
  /** Who started it. */
  declare startedBy: CreationOptional<string | null>;
  /** Of its options what holds nobody's values: `shownOptions`. */
  declare options: CreationOptional<string | null>;
  /** What it counts against besides its workflow's own limit: `Share[]` as JSON. */
  declare shares: CreationOptional<string | null>;
  /** The run whose outcomes it keeps. */
  declare repeats: CreationOptional<string | null>;
  /** The number of the entry that holds its response; -1 where that is not known, of runs from before it was noted. */
  declare responseSeq: CreationOptional<number | null>;
  declare calls: CreationOptional<number>;
  declare problems: CreationOptional<number>;
  declare error: CreationOptional<string | null>;
  declare message: CreationOptional<string | null>;
  declare unsure: CreationOptional<string>;
}

/** What is known of a run, as a plain value. */
export type RunRecord = InferAttributes<RunRow>;
export type WorkflowRecord = InferAttributes<WorkflowRow>;
export type VersionRecord = InferAttributes<VersionRow>;
export type DataKeyRecord = InferAttributes<DataKeyRow>;

export class DataKeyRow extends Model<InferAttributes<DataKeyRow>, InferCreationAttributes<DataKeyRow>> {
  declare id: number;
  declare wrapped: Buffer;
  declare createdAt: number;
}

export class CredentialRow extends Model<
  InferAttributes<CredentialRow>,
  InferCreationAttributes<CredentialRow>
> {
  declare name: string;
  declare kind: string;
  declare hosts: string;
  declare shown: string;
  declare sealed: Buffer;
  declare changedAt: number;
  declare lastUsedAt: CreationOptional<number | null>;
  declare replaced: CreationOptional<Buffer | null>;
  declare replacedUntil: CreationOptional<number | null>;
  declare endsAt: CreationOptional<number | null>;
  declare fault: CreationOptional<string | null>;
  declare lastWorkedAt: CreationOptional<number | null>;
  declare login: CreationOptional<string | null>;
  declare mayUse: CreationOptional<string>;
  declare mayChange: CreationOptional<string>;
}

export class TokenRow extends Model<InferAttributes<TokenRow>, InferCreationAttributes<TokenRow>> {
  declare credential: string;
  declare key: string;
  declare sealed: Buffer;
  declare obtainedAt: number;
  declare expiresAt: number | null;
}

export class ActivityRow extends Model<InferAttributes<ActivityRow>, InferCreationAttributes<ActivityRow>> {
  declare id: CreationOptional<number>;
  declare at: number;
  declare by: string;
  declare action: string;
  declare kind: string;
  declare name: string;
  declare run: string | null;
  declare detail: string | null;
}

export class ConstantRow extends Model<InferAttributes<ConstantRow>, InferCreationAttributes<ConstantRow>> {
  declare name: string;
  declare value: string;
  declare changedAt: number;
}

/** Ties the models to a database. Columns have the names of the attributes in snake case. */
export function defineModels(sequelize: Sequelize): void {
  const options = (tableName: string) => ({ sequelize, tableName, timestamps: false, underscored: true });
  TextRow.init({ digest: key(), text: text(), unusedSince: optionalInteger() }, options("texts"));
  WorkflowRow.init(
    {
      name: key(),
      title: optionalText(),
      draft: text(),
      revision: integer(),
      published: optionalInteger(),
      problems: integer(),
      changedAt: integer(),
    },
    options("workflows"),
  );
  VersionRow.init(
    {
      workflow: key(),
      version: { ...integer(), primaryKey: true },
      text: text(),
      publishedAt: integer(),
      publishedBy: text(),
    },
    options("versions"),
  );
  RunRow.init(
    {
      id: key(),
      workflow: text(),
      version: integer(),
      text: text(),
      origin: text(),
      state: text(),
      trigger: text(),
      createdAt: integer(),
      startedAt: optionalInteger(),
      endedAt: optionalInteger(),
      wakeAt: optionalInteger(),
      waits: { ...text(), defaultValue: "[]" },
      parent: optionalText(),
      principal: optionalText(),
      startedBy: optionalText(),
      options: optionalText(),
      shares: optionalText(),
      repeats: optionalText(),
      responseSeq: optionalInteger(),
      calls: { ...integer(), defaultValue: 0 },
      problems: { ...integer(), defaultValue: 0 },
      error: optionalText(),
      message: optionalText(),
      unsure: { ...text(), defaultValue: "[]" },
    },
    options("runs"),
  );
  DataKeyRow.init(
    { id: { ...integer(), primaryKey: true }, wrapped: bytes(), createdAt: integer() },
    options("data_keys"),
  );
  CredentialRow.init(
    {
      name: key(),
      kind: text(),
      hosts: text(),
      shown: text(),
      sealed: bytes(),
      changedAt: integer(),
      lastUsedAt: optionalInteger(),
      replaced: { type: DataTypes.BLOB },
      replacedUntil: optionalInteger(),
      endsAt: optionalInteger(),
      fault: optionalText(),
      login: optionalText(),
      lastWorkedAt: optionalInteger(),
      mayUse: { ...text(), defaultValue: "[]" },
      mayChange: { ...text(), defaultValue: "[]" },
    },
    options("credentials"),
  );
  TokenRow.init(
    {
      credential: key(),
      key: key(),
      sealed: bytes(),
      obtainedAt: integer(),
      expiresAt: optionalInteger(),
    },
    options("tokens"),
  );
  ActivityRow.init(
    {
      id: { ...integer(), primaryKey: true, autoIncrement: true },
      at: integer(),
      by: text(),
      action: text(),
      kind: text(),
      name: text(),
      run: optionalText(),
      detail: optionalText(),
    },
    options("activity"),
  );
  defineApiModels(sequelize);
  ConstantRow.init({ name: key(), value: text(), changedAt: integer() }, options("constants"));
  definePeopleModels(sequelize);
}
