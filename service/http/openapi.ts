import { problemDetails, routes, type AnyRoute } from "@copper-kettle/contract";
import type { ZodOpenApiOperationObject, ZodOpenApiPathsObject } from "zod-openapi";

/** The service's own OpenAPI 3.1 document, made from the routes of the contract. */
export async function openApiDocument(version: string): Promise<object> {
  const { createDocument } = await import("zod-openapi"); // seldom needed, and slow to load
  const paths: Record<string, Record<string, ZodOpenApiOperationObject>> = {};
  for (const [name, route] of Object.entries(routes) as [string, AnyRoute][]) {
    (paths[route.path] ??= {})[route.method.toLowerCase()] = operation(name, route);
  }
  return createDocument({
    openapi: "3.1.0",
    info: {
      title: "Copper Kettle",
      version,
      description: "Chains authenticated HTTP API calls into triggered or scheduled workflows.",
    },
    security: [{ token: [] }],
    components: { securitySchemes: { token: { type: "http", scheme: "bearer" } } },
    paths: paths as ZodOpenApiPathsObject,
  });
}

function operation(name: string, route: AnyRoute): ZodOpenApiOperationObject {
  const problem = {
    description: "Refused; the body says why and what to do.",
    content: { "application/problem+json": { schema: problemDetails } },
  };
  const type = route.events
    ? "text/event-stream"
    : route.bytes
      ? "application/octet-stream"
      : "application/json";
  const empty = route.status === 204;
  return {
    operationId: name,
    summary: route.summary,
    ...(route.needs === "nothing" ? { security: [] } : {}),
    ...(route.params || route.query
      ? {
          requestParams: {
            ...(route.params ? { path: route.params as never } : {}),
            ...(route.query ? { query: route.query as never } : {}),
          },
        }
      : {}),
    ...(route.body
      ? { requestBody: { required: true, content: { "application/json": { schema: route.body } } } }
      : {}),
    responses: {
      [String(route.status)]: {
        description: route.summary,
        ...(empty ? {} : { content: { [type]: { schema: route.output } } }),
      },
      default: problem,
    },
  };
}
