import { z } from "zod";

/** What a field of the file holds, besides plain words and numbers of its own. */
export type FieldKind =
  | "expression"
  | "template"
  /** Any value; each text in it is a template. */
  | "value"
  | "duration"
  | "credential"
  | "operation"
  | "workflow";

/** Marks a field; `fields.ts` makes the table of all of them. Editors see it in the JSON Schema, too. */
const marked = (kind: FieldKind, more: object = {}) => ({ ...more, "x-ckettle-field": kind });

/** A field that holds a bare expression: `true`, `false` and numbers are constants, all else is text. */
export const expression = () =>
  z.union([z.string(), z.boolean(), z.number()]).meta(marked("expression", { title: "expression" }));
/** A text that may hold `${ … }` parts. */
export const template = () => z.string().meta(marked("template"));
/** Any value; the texts in it may hold `${ … }` parts. */
export const value = () => z.unknown().meta(marked("value"));
export const values = () => z.record(z.string(), z.unknown()).meta(marked("value"));
export const duration = () =>
  z.string().meta(marked("duration", { title: "duration", examples: ["500ms", "20s", "10m", "1h30m"] }));
/** The name of something that the service knows. */
export const nameOf = (kind: "credential" | "operation" | "workflow") => z.string().meta(marked(kind));

/** A method (RFC 9110 section 9.1) and a URL, as `request` writes them. */
export const requestLine = /^([!#$%&'*+\-.^_`|~0-9A-Za-z]+) (\S[\s\S]*)$/;
