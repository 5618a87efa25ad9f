import { XMLParser, XMLValidator } from "fast-xml-parser";
import type { Json } from "../values/json.js";

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

/** The text is no XML that is read; `message` says why. */
export class XmlFault extends Error {
  override name = "XmlFault";
}

/**
 * XML (1.0, fifth edition) as a value, by one rule: an element with neither attributes nor inner elements is its text;
 * any other is an object with its attributes as `@name`, its inner elements by name (a list where one repeats), and
 * its text as `#text`. Texts stay texts. Documents that declare entities are refused.
 * @throws XmlFault
 */
export function parseXml(text: string): Json {
  if (/<!ENTITY/i.test(text)) throw new XmlFault("it declares entities, which are not read");
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
