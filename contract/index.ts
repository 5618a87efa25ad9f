export * from "./route.js";
export * from "./schemas.js";
export * from "./credential-schemas.js";
export * from "./api-schemas.js";
export { routes, type Routes } from "./routes.js";
export * from "./client.js";
