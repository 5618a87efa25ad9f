import { XMLBuilder, XMLParser, XMLValidator } from "fast-xml-parser";
import { bounds } from "../values/bounds.js";
import { Exact, isObject, type Json } from "../values/json.js";
import { RequestRefused } from "./message.js";

const parser = new XMLParser({
  ignoreAttributes: false,
  attributeNamePrefix: "@",
  textNodeName: "#text",
  parseTagValue: false,
  parseAttributeValue: false,
  ignoreDeclaration: true,
  ignorePiTags: true,
  processEntities: true,
});

/** The text is not XML that is read; `message` says why. */
export class XmlFault extends Error {
  override name = "XmlFault";
}

/**
 * XML (1.0, fifth edition) as a value, by one rule: an element with neither attributes nor inner elements is its text;
 * any other is an object with its attributes as `@name`, its inner elements by name (a list where one repeats), and
 * its text as `#text`. Texts stay texts. Documents that declare entities are refused.
 * A DOCTYPE is passed over: nothing that it names is fetched.
 * @throws XmlFault, also for a text beyond the bounds
 */
export function parseXml(text: string): Json {
  if (/<!ENTITY/i.test(text)) throw new XmlFault("it declares entities, which are not read");
  requireBounds(text);
  const valid = XMLValidator.validate(text);
  if (valid !== true)
    throw new XmlFault(
      `line ${valid.err.line}, column ${valid.err.col}: ${valid.err.msg.replace(/\.$/, "")}`,
    );
  try {
    return parser.parse(text) as Json;
  } catch (error) {
    throw new XmlFault((error as Error).message);
  }
}

/** Counts tags and attributes, and how deep elements nest, before anything is made of them. */
function requireBounds(text: string): void {
  let [parts, depth] = [0, 0];
  const take = (): void => {
    if (++parts > bounds.xmlParts)
      throw new XmlFault(`it has more than ${bounds.xmlParts} elements and attributes`);
  };
  for (let at = text.indexOf("<"); at >= 0; at = text.indexOf("<", at)) {
    const end = skipped(text, at);
    if (end !== undefined) {
      at = end;
      continue;
    }
    take();
    const closes = text[at + 1] === "/";
    let attributes = 0;
    for (at++; at < text.length && text[at] !== ">"; at++) {
      const character = text[at];
      if (character === '"' || character === "'") {
        const quote = text.indexOf(character, at + 1);
        at = quote < 0 ? text.length : quote;
      } else if (character === "=") {
        take();
        if (++attributes > bounds.xmlAttributes)
          throw new XmlFault(`an element has more than ${bounds.xmlAttributes} attributes`);
      }
    }
    depth += closes ? -1 : text[at - 1] === "/" ? 0 : 1;
    if (depth > bounds.jsonDepth) throw new XmlFault(`it is nested more than ${bounds.jsonDepth} deep`);
  }
}

const sections = [
  ["<!--", "-->"],
  ["<![CDATA[", "]]>"],
  ["<?", "?>"],
  ["<!", ">"],
] as const;

/** The end of a comment, of character data or of a declaration that begins at a place; undefined for a tag. */
function skipped(text: string, at: number): number | undefined {
  const section = sections.find(([start]) => text.startsWith(start, at));
  if (!section) return undefined;
  const end = text.indexOf(section[1], at + section[0].length);
  return end < 0 ? text.length : end + section[1].length;
}

const builder = new XMLBuilder({
  ignoreAttributes: false,
  attributeNamePrefix: "@",
  textNodeName: "#text",
  suppressEmptyNode: true,
  suppressBooleanAttributes: false,
});

/** A name of XML without what only few parsers take (XML 1.0, section 2.3). */
const xmlName = /^[A-Za-z_][\w.:-]*$/;

/**
 * XML of a value, by the rule by which it is read: an object with one element; `@name` are attributes, `#text` is the
 * text, a list repeats its element, null leaves one out.
 * @throws RequestRefused (`bad-request`) for what has no such form
 */
export function printXml(value: Json): string {
  const names = isObject(value) ? Object.keys(value) : [];
  if (!isObject(value) || names.length !== 1 || Array.isArray(value[names[0] as string]))
    throw new RequestRefused(
      "bad-request",
      "A body in XML is an object with one element, such as { guest: { name: … } }.",
    );
  return `<?xml version="1.0" encoding="UTF-8"?>\n${builder.build(plainXml(value, ""))}`;
}

/** The value with texts only, its names looked at. */
function plainXml(value: Json, path: string): unknown {
  if (Array.isArray(value)) return value.map((item) => plainXml(item, path));
  if (!isObject(value)) return value instanceof Exact ? String(value) : value;
  return Object.fromEntries(
    Object.entries(value)
      .filter(([, inner]) => inner !== null)
      .map(([name, inner]) => {
        const bare = name.replace(/^@/, "");
        if (name !== "#text" && !xmlName.test(bare))
          throw new RequestRefused(
            "bad-request",
            `"${path}${name}" cannot be the name of an element or attribute in XML.`,
          );
        return [name, plainXml(inner, `${path}${name}.`)];
      }),
  );
}
