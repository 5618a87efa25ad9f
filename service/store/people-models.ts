import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from "sequelize";
import { integer, key, optionalInteger, optionalText, text } from "./columns.js";

export class AccessTokenRow extends Model<
  InferAttributes<AccessTokenRow>,
  InferCreationAttributes<AccessTokenRow>
> {
  declare digest: string;
  declare name: string;
  declare createdAt: number;
}

export class SessionRow extends Model<InferAttributes<SessionRow>, InferCreationAttributes<SessionRow>> {
  declare digest: string;
  declare name: string;
  declare createdAt: number;
  declare expiresAt: number;
}

/** Something that a version may use, and who gave it. */
export class GrantRow extends Model<InferAttributes<GrantRow>, InferCreationAttributes<GrantRow>> {
  declare workflow: string;
  declare version: number;
  declare kind: string;
  declare name: string;
  declare givenBy: string;
  declare givenAt: number;
  declare withdrawnBy: CreationOptional<string | null>;
  declare withdrawnAt: CreationOptional<number | null>;
}

export type AccessTokenRecord = InferAttributes<AccessTokenRow>;
export type SessionRecord = InferAttributes<SessionRow>;
export type GrantRecord = InferAttributes<GrantRow>;

/** Ties the models of who may do what to a database. */
export function definePeopleModels(sequelize: Sequelize): void {
  const options = (tableName: string) => ({ sequelize, tableName, timestamps: false, underscored: true });
  GrantRow.init(
    {
      workflow: key(),
      version: { ...integer(), primaryKey: true },
      kind: key(),
      name: key(),
      givenBy: text(),
      givenAt: integer(),
      withdrawnBy: optionalText(),
      withdrawnAt: optionalInteger(),
    },
    options("grants"),
  );
  AccessTokenRow.init({ digest: key(), name: text(), createdAt: integer() }, options("access_tokens"));
  SessionRow.init(
    { digest: key(), name: text(), createdAt: integer(), expiresAt: integer() },
    options("sessions"),
  );
}
