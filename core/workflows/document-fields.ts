import { z } from "zod";

/** A field that holds a bare expression: `true`, `false` and numbers are constants, all else is text. */
export const expression = () =>
  z.union([z.string(), z.boolean(), z.number()]).meta({ title: "expression", "x-ckettle-expression": true });
/** A text that may hold `${ … }` parts. */
export const template = () => z.string();
/** Any value; the texts in it may hold `${ … }` parts. */
export const value = () => z.unknown();
export const values = () => z.record(z.string(), z.unknown());
export const duration = () =>
  z.string().meta({ title: "duration", examples: ["500ms", "20s", "10m", "1h30m"] });

/** A method and a URL, as `request` writes them. */
export const requestLine = /^([A-Z]+) (\S[\s\S]*)$/;
