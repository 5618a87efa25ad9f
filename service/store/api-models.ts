import {
  Model,
  type CreationOptional,
  type InferAttributes,
  type InferCreationAttributes,
  type Sequelize,
} from "sequelize";
import { integer, key, optionalInteger, optionalText, text } from "./columns.js";

export class ApiRow extends Model<InferAttributes<ApiRow>, InferCreationAttributes<ApiRow>> {
  declare name: string;
  declare title: string;
  declare revision: number;
  declare changedAt: number;
}

export class ApiRevisionRow extends Model<
  InferAttributes<ApiRevisionRow>,
  InferCreationAttributes<ApiRevisionRow>
> {
  declare api: string;
  declare revision: number;
  declare document: string;
  declare original: string;
  declare written: string;
  declare source: string | null;
  declare createdAt: number;
  declare createdBy: string;
}

export class TryRow extends Model<InferAttributes<TryRow>, InferCreationAttributes<TryRow>> {
  declare id: CreationOptional<number>;
  declare at: number;
  declare by: string;
  declare operation: string | null;
  declare given: string;
  declare status: number | null;
  declare took: number;
  declare result: string;
}

export type TryRecord = InferAttributes<TryRow>;

export class SampleRow extends Model<InferAttributes<SampleRow>, InferCreationAttributes<SampleRow>> {
  declare api: string;
  declare operation: string;
  declare name: string;
  declare at: number;
  declare by: string;
  declare given: string;
  declare status: number;
  declare headers: string;
  declare body: string;
}

export class DriftRow extends Model<InferAttributes<DriftRow>, InferCreationAttributes<DriftRow>> {
  declare api: string;
  declare operation: string;
  declare status: number;
  declare what: string;
  declare path: string;
  declare detail: string;
  declare firstAt: number;
  declare lastAt: number;
  declare count: number;
  declare run: string | null;
}

/** Ties the models of described APIs to a database. */
export function defineApiModels(sequelize: Sequelize): void {
  const options = (tableName: string) => ({ sequelize, tableName, timestamps: false, underscored: true });
  ApiRow.init({ name: key(), title: text(), revision: integer(), changedAt: integer() }, options("apis"));
  ApiRevisionRow.init(
    {
      api: key(),
      revision: { ...integer(), primaryKey: true },
      document: text(),
      original: text(),
      written: text(),
      source: optionalText(),
      createdAt: integer(),
      createdBy: text(),
    },
    options("api_revisions"),
  );
  TryRow.init(
    {
      id: { ...integer(), primaryKey: true, autoIncrement: true },
      at: integer(),
      by: text(),
      operation: optionalText(),
      given: text(),
      status: optionalInteger(),
      took: integer(),
      result: text(),
    },
    options("tries"),
  );
  SampleRow.init(
    {
      api: key(),
      operation: key(),
      name: key(),
      at: integer(),
      by: text(),
      given: text(),
      status: integer(),
      headers: text(),
      body: text(),
    },
    options("samples"),
  );
  DriftRow.init(
    {
      api: key(),
      operation: key(),
      status: { ...integer(), primaryKey: true },
      what: key(),
      path: key(),
      detail: text(),
      firstAt: integer(),
      lastAt: integer(),
      count: integer(),
      run: optionalText(),
    },
    options("drift"),
  );
}
