import { proposedName } from "./names.js";

/** What somebody put into the box: a document, or a request; or an address that may be either. */
export type Pasted = "nothing" | "document" | "request" | "address";

/** Tells a document from a request by how it begins; an address that ends like a document's may be one. */
export function pastedKind(text: string): Pasted {
  const trimmed = text.trim();
  if (trimmed === "") return "nothing";
  if (/^\s*(["']?)(openapi|swagger)\1\s*:/m.test(trimmed.slice(0, 20_000))) return "document";
  if (/^\{[\s\S]{0,2000}?"(openapi|swagger)"\s*:/.test(trimmed)) return "document";
  if (
    /^https?:\/\/\S+$/.test(trimmed) &&
    /(\.ya?ml|\.json|openapi|swagger|api-docs)([?#].*)?$/i.test(trimmed)
  )
    return "address";
  return "request";
}

/** A name for an API, out of its title or its host: small letters, digits and dashes. */
export function suggestedName(text: string): string {
  const words = text.replace(/^https?:\/\/(www\.|api\.)?/i, "");
  return words.trim() === "" ? "" : proposedName(words, 40);
}
