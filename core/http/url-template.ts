import type { Surroundings } from "../expressions/evaluation.js";
import { partText, type Template } from "../expressions/templates.js";
import type { ValueMap } from "../expressions/values.js";
import { percentEncode } from "../values/encodings.js";
import { dotSegment } from "./dot-segments.js";
import { RequestRefused } from "./message.js";

/**
 * Renders a URL. A part that begins the text stands for a base URL and is taken as it is; a part in the path or in
 * the query is percent-encoded, so that no value can leave its place. A part in the path may not be blank.
 */
export function renderUrl(template: Template, scope: ValueMap, surroundings: Surroundings): string {
  let url = "";
  let inPath = false;
  for (const part of template.parts) {
    if ("text" in part) {
      url += part.text;
      inPath ||= /^(?:[a-z][a-z0-9+.-]*:\/\/)?[^/?#]*[/?#]/i.test(part.text);
      continue;
    }
    const text = partText(part, scope, surroundings);
    if (!inPath) url += url === "" ? text.replace(/\/+$/, "") : text;
    else if (text === "" && !url.includes("?")) {
      throw new RequestRefused(
        "bad-request",
        `\${${part.expression.text.trim()}} is blank, but a part of a path cannot be.`,
      );
    } else url += percentEncode(text);
  }
  const written = template.parts.map((part) => ("text" in part ? part.text : "x")).join("");
  const dots = dotSegment(url);
  if (dots !== undefined && dotSegment(written) === undefined)
    throw new RequestRefused(
      "bad-request",
      `A value makes a part of the path "${dots}", which would change the path.`,
    );
  return url;
}
