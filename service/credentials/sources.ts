import type { CredentialDetail } from "@copper-kettle/contract";
import type { ApiStore } from "../store/apis.js";

/** So many pages are shown of one API. */
const mostPages = 3;

/** What the APIs that a credential is the default of say of its secret: their words, and where one gets it. */
export function secretSources(apis: ApiStore, name: string, kind: string): CredentialDetail["sources"] {
  return apis.all().flatMap(({ name: api, api: { credential, security, operations } }) => {
    if (credential !== name) return [];
    const about =
      security.find((scheme) => scheme.kind === kind && scheme.about !== undefined)?.about ?? null;
    const pages = new Set(operations.flatMap(({ keyPage }) => keyPage ?? []));
    return about === null && pages.size === 0 ? [] : [{ api, about, pages: [...pages].slice(0, mostPages) }];
  });
}
