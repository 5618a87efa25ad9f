import { createRequire } from "node:module";

/**
 * Loads a CommonJS package when it is first needed, so that the service starts sooner. For a caller that cannot wait;
 * one that can says `await import(…)`.
 */
export const loadLate = createRequire(import.meta.url) as <T>(name: string) => T;
