export * from "./route.js";
export * from "./schemas.js";
export * from "./credential-schemas.js";
export * from "./api-schemas.js";
export type { TryEntry, TryResult, UnderstoodSampleView } from "./try-routes.js";
export type { Drift, Sample } from "./sample-routes.js";
export type { ComparedStep, RunOptionsInput } from "./engine-routes.js";
export { routes, type Routes } from "./routes.js";
export * from "./client.js";
