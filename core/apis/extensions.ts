import { isObject, type Json, type JsonObject } from "../values/json.js";
import { listAt, textAt } from "./references.js";

/** For whom an operation acts: with a person's token, with the application's own, or either. */
export const actingFor = ["both", "person", "application"] as const;

/** What people have added to an operation beyond OpenAPI. */
export interface Extensions {
  /** Where a person finds the record (`x-ckettle-link`): a template over `request` and the response. */
  link?: string;
  /** The operation that shows what is there after this one (`x-ckettle-read-back`), and its parameters, as templates. */
  readBack?: { operation: string; parameters: JsonObject };
  /** Patterns of page addresses, each `{name}` a parameter (`x-ckettle-ids-from`). */
  idsFrom?: string[];
  actsFor?: (typeof actingFor)[number];
  /** Ids that it had before, by which files may still call it (`x-ckettle-was`). */
  was?: string[];
  /** Where one gets a key for it (`x-ckettle-key-page`). */
  keyPage?: string;
}

export function extensionsOf(raw: JsonObject): Extensions {
  const link = textAt(raw, "x-ckettle-link");
  const readBack = readBackOf(raw["x-ckettle-read-back"]);
  const idsFrom = listAt(raw, "x-ckettle-ids-from").filter((one) => typeof one === "string");
  const actsFor = actingFor.find((one) => one === raw["x-ckettle-acts-for"]);
  const keyPage = webAddress(textAt(raw, "x-ckettle-key-page"));
  const was = listAt(raw, "x-ckettle-was").filter((one) => typeof one === "string");
  return {
    ...(was.length > 0 ? { was } : {}),
    ...(link === undefined ? {} : { link }),
    ...(readBack ? { readBack } : {}),
    ...(idsFrom.length > 0 ? { idsFrom } : {}),
    ...(actsFor ? { actsFor } : {}),
    ...(keyPage === undefined ? {} : { keyPage }),
  };
}

function readBackOf(value: Json | undefined): Extensions["readBack"] {
  if (!isObject(value)) return undefined;
  const operation = textAt(value, "operation");
  const { parameters } = value;
  return operation === undefined
    ? undefined
    : { operation, parameters: isObject(parameters) ? parameters : {} };
}

/** An address that a browser may open; undefined for a `javascript:` one and the like. */
export function webAddress(text: string | undefined): string | undefined {
  if (text === undefined || !URL.canParse(text)) return undefined;
  const { protocol, href } = new URL(text);
  return protocol === "https:" || protocol === "http:" ? href : undefined;
}

/** The longest address that patterns are tried on, in characters. */
const longestAddress = 2_000;

/** The patterns of addresses that give a parameter of an operation. */
export const patternsOf = ({ idsFrom = [] }: Pick<Extensions, "idsFrom">, parameter: string): string[] =>
  idsFrom.filter((pattern) => pattern.includes(`{${parameter}}`));

/**
 * What an address of a page says of the parameters that a pattern names: `https://boards.example/b/{board}/p/{post}`, or
 * the path alone. Undefined if no pattern fits.
 */
export function idsFromAddress(
  patterns: readonly string[],
  address: string,
): Record<string, string> | undefined {
  if (address.length > longestAddress || !URL.canParse(address)) return undefined;
  const url = new URL(address);
  for (const pattern of patterns) {
    const match = /^(https?:\/\/[^/]+)?(\/[^?#]*)$/.exec(pattern);
    if (!match || (match[1] !== undefined && match[1].toLowerCase() !== url.origin)) continue;
    const ids = partsOf(match[2] as string, url.pathname);
    if (ids) return ids;
  }
  return undefined;
}

/** The parts of an address's path, of which one may be an id, each with the pattern that takes it as a parameter. */
export function idsInAddress(address: string, parameter: string): { id: string; pattern: string }[] {
  if (address.length > longestAddress || webAddress(address) === undefined) return [];
  const { origin, pathname } = new URL(address);
  const parts = pathname.split("/");
  return parts.flatMap((part, index) => {
    if (part === "") return [];
    // The longest address has fewer parts than would matter here.
    const pattern = `${origin}${[...parts.slice(0, index), `{${parameter}}`].join("/")}`;
    const id = idsFromAddress([pattern], address)?.[parameter];
    return id === undefined ? [] : [{ id, pattern }];
  });
}

/**
 * Given values in which an address of a page stands for all that it says: where a parameter that a pattern names holds
 * such an address, it and the other parameters of the pattern that have no value get their part of it.
 */
export function withIdsFrom({ idsFrom }: Extensions, given: JsonObject): JsonObject {
  if (!idsFrom) return given;
  for (const [name, value] of Object.entries(given)) {
    if (typeof value !== "string" || !/^https?:\/\//.test(value)) continue;
    const ids = idsFromAddress(patternsOf({ idsFrom }, name), value);
    if (ids) return { ...ids, ...given, [name]: ids[name] as string };
  }
  return given;
}

/** Part by part: what stands behind the last part of the pattern does not matter. */
function partsOf(pattern: string, path: string): Record<string, string> | undefined {
  const given = path.split("/");
  const ids: Record<string, string> = {};
  for (const [index, part] of pattern.split("/").entries()) {
    const found = given[index];
    if (found === undefined) return undefined;
    const name = /^\{([^{}]+)\}$/.exec(part)?.[1];
    if (name === undefined) {
      if (part !== found) return undefined;
    } else if (found === "") return undefined;
    else
      try {
        ids[name] = decodeURIComponent(found);
      } catch {
        ids[name] = found;
      }
  }
  return Object.keys(ids).length > 0 ? ids : undefined;
}
