import type { ApiStore } from "../store/apis.js";

/** The operations that a file names, as `api.id`; also while it has problems. */
export function usedOperations(text: string): Set<string> {
  return new Set(
    [...text.matchAll(/\boperation:\s*["']?([a-z0-9][a-z0-9-]*\.[A-Za-z0-9_.-]+)/g)].map(
      (match) => match[1] as string,
    ),
  );
}

/** The credentials that a file uses: those that it names, and those of the APIs whose operations it calls. */
export function usedCredentials(text: string, apis: ApiStore): Set<string> {
  const named = [...text.matchAll(/\busing:\s*["']?([a-z0-9][a-z0-9-]*)/g)].map(
    (match) => match[1] as string,
  );
  const ofApis = [...usedOperations(text)].flatMap(
    (name) => apis.get(name.split(".")[0] ?? "")?.api.credential ?? [],
  );
  return new Set([...named, ...ofApis]);
}
