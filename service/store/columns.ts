import { DataTypes } from "sequelize";

// Sequelize writes the column's name into the object it is given, so each attribute gets one of its own.
export const text = () => ({ type: DataTypes.TEXT, allowNull: false });
export const optionalText = () => ({ type: DataTypes.TEXT });
export const integer = () => ({ type: DataTypes.INTEGER, allowNull: false });
export const optionalInteger = () => ({ type: DataTypes.INTEGER });
export const bytes = () => ({ type: DataTypes.BLOB, allowNull: false });
export const key = () => ({ type: DataTypes.TEXT, primaryKey: true });
