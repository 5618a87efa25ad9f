import { Ajv2020 } from "ajv/dist/2020.js";
import addFormats from "ajv-formats";
import { readFileSync } from "node:fs";
import { parse } from "yaml";

interface Document {
  swagger?: string;
  paths: Record<string, Record<string, { operationId: string; responses: Record<string, unknown> }>>;
}

/** A check of responses against a stand-in's own document. */
export function documentOf(name: string) {
  const document = parse(
    readFileSync(new URL(`./openapi/${name}.yaml`, import.meta.url), "utf8"),
  ) as Document;
  const ajv = new Ajv2020({ strict: false });
  addFormats.default(ajv);
  ajv.addSchema(document, "doc");
  return (method: string, path: string, status: number, body: unknown): string[] => {
    const template = Object.keys(document.paths).find((key) =>
      new RegExp(`^${key.replace(/\{\w+\}/g, "[^/]+")}$`).test(path),
    );
    if (!template) return [`no path ${path}`];
    const pointer = ["paths", template, method.toLowerCase(), "responses", String(status)];
    const response = (document.paths[template]?.[method.toLowerCase()]?.responses ?? {})[String(status)] as
      { $ref?: string } | undefined;
    if (!response) return [`${method} ${template} does not describe ${status}`];
    const escaped = pointer.map((part) => part.replaceAll("~", "~0").replaceAll("/", "~1"));
    const at = response.$ref?.slice(1) ?? `/${escaped.join("/")}`;
    // In Swagger 2.0 the schema stands beside the description.
    const inside = document.swagger ? "schema" : "content/application~1json/schema";
    const validate = ajv.compile({ $ref: `doc#${at}/${inside}` });
    return validate(body)
      ? []
      : (validate.errors ?? []).map((error) => `${error.instancePath} ${error.message}`);
  };
}
