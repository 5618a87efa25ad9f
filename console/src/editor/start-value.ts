import type { FormField, Json } from "@copper-kettle/core";

/** What a field holds when it is added, before anybody typed. */
export function startValue({ key, kind, options, forms }: FormField): Json {
  if (key === "body") return { json: {} };
  switch (kind) {
    case "group":
    case "values":
    case "any":
      return {};
    case "switch":
    case "expression":
      return true;
    case "choice":
      return options?.[0] ?? "";
    case "either":
      return forms?.find(({ value }) => value !== undefined)?.value ?? {};
    case "list":
      return [];
    case "number":
      return 1;
    default:
      return "";
  }
}
