import { describe, expect, it } from "vitest";
import { utf8 } from "../values/encodings.js";
import { buildRequest, type RequestBody } from "./build.js";
import { RequestRefused, type HttpResponse } from "./message.js";
import { wholeRequest } from "./body-pieces.js";
import { piecesOf } from "./body-pieces.test.kit.js";
import { finishedRequest } from "./multipart.js";
import { readBody } from "./read-body.js";

const post = (body: RequestBody) =>
  buildRequest({ method: "POST", url: "https://stays.example/files", body });
const answer = (type: string, body: string | Uint8Array): HttpResponse => ({
  status: 200,
  headers: { "content-type": type },
  body: typeof body === "string" ? utf8(body) : body,
  url: "https://stays.example/",
});

describe("bodies with files in them", () => {
  it("multipart/form-data: fields, repeated ones, files by content and by id, and quotes that cannot break out", async () => {
    const built = post({
      multipart: {
        hut: "corrie",
        beds: [2, 3],
        left: null,
        photo: { base64: "AAEC", name: 'a"\r\nb.png', mediaType: "image/png" },
        note: { text: "über", name: "note.txt", mediaType: "text/plain; charset=utf-8" },
        plan: { file: "f-1", name: "plan.pdf", mediaType: "application/pdf", size: 3, sha256: "…" },
      },
    });
    const type = built.headers.find(([name]) => name === "Content-Type")?.[1] ?? "";
    const boundary = /^multipart\/form-data; boundary=(part-[0-9a-f]{32})$/.exec(type)?.[1] as string;
    const { body } = await wholeRequest(await finishedRequest(built, async (id) => piecesOf(`<${id}>`)));
    const text = new TextDecoder("latin1").decode(body as Uint8Array);
    const part = (head: string, content: string) =>
      `--${boundary}\r\nContent-Disposition: form-data; ${head}\r\n\r\n${content}\r\n`;
    expect(text).toBe(
      part('name="hut"', "corrie") +
        part('name="beds"', "2") +
        part('name="beds"', "3") +
        part('name="photo"; filename="a%22%0D%0Ab.png"\r\nContent-Type: image/png', "\0\x01\x02") +
        part('name="note"; filename="note.txt"\r\nContent-Type: text/plain; charset=utf-8', "Ã¼ber") +
        part('name="plan"; filename="plan.pdf"\r\nContent-Type: application/pdf', "<f-1>") +
        `--${boundary}--\r\n`,
    );
  });

  it("is the same at each build, and plain data while it is in pieces", () => {
    const body = { multipart: { a: { base64: "AAEC" } } };
    expect(JSON.parse(JSON.stringify(post(body)))).toEqual(post(body));
  });

  it("bytes alone", async () => {
    const built = post({ file: { base64: "AAEC", mediaType: "image/png" } });
    expect(built.headers).toContainEqual(["Content-Type", "image/png"]);
    expect((await finishedRequest(built)).body).toEqual(Uint8Array.of(0, 1, 2));
  });

  it.each<[RequestBody, RegExp]>([
    [{ file: "text" }, /must be a file value/],
    [{ file: { base64: "%%" } }, /not Base64/],
    [{ multipart: { a: { b: 1 } } }, /The field a must be a file value/],
    [{ multipart: { a: { text: "x", mediaType: "a/b\r\nX: y" } } }, /mediaType/],
  ])("refuses %j", (body, message) => {
    expect(() => post(body)).toThrowError(RequestRefused);
    expect(() => post(body)).toThrowError(message);
  });

  it("only a run has kept files", async () => {
    await expect(finishedRequest.bind(null, post({ file: { file: "f-1" } }))).rejects.toThrowError(
      /Only a run/,
    );
  });
});

describe("answers that are not JSON", () => {
  it("XML becomes an object by the one rule", () => {
    const xml =
      '<?xml version="1.0"?><huts region="north"><hut id="1">Corrie</hut><hut id="2"><beds>07</beds>&amp; more</hut><empty/></huts>';
    expect(readBody(answer("application/xml", xml))).toEqual({
      body: {
        huts: {
          "@region": "north",
          hut: [
            { "@id": "1", "#text": "Corrie" },
            { "@id": "2", beds: "07", "#text": "& more" },
          ],
          empty: "",
        },
      },
      text: xml,
    });
  });

  it.each([
    ["application/atom+xml", "<a><b></a>", /line 1/],
    ["text/xml", '<!DOCTYPE a [<!ENTITY x "y">]><a>&x;</a>', /entities/],
    ["text/xml", "<a><__proto__>1</__proto__></a>", /cannot be read/],
    ["text/csv", 'a,b\n1,"2', /cannot be read as such/],
  ])("%s that is broken stays a text, and is told: %s", (type, text, fault) => {
    const read = readBody(answer(type, text));
    expect(read.body).toBe(text);
    expect(read.fault).toMatch(fault);
  });

  it("XML says its own charset", () => {
    const bytes = Uint8Array.from(
      [...'<?xml version="1.0" encoding="ISO-8859-1"?><a>\xfc</a>'].map((c) => c.charCodeAt(0)),
    );
    expect(readBody(answer("text/xml", bytes)).body).toEqual({ a: "ü" });
  });

  it("CSV becomes rows by its header, whatever its separator", () => {
    expect(readBody(answer("text/csv", '\ufeffhut;beds\r\ncorrie;"8;9"\r\njuniper\r\n')).body).toEqual([
      { hut: "corrie", beds: "8;9" },
      { hut: "juniper" },
    ]);
  });

  it("a charset that is wrong or unknown loses nothing but the letters", () => {
    expect(readBody(answer("text/plain; charset=nonsense", "Hütte")).body).toBe("Hütte");
    expect(readBody(answer("text/plain; charset=iso-8859-1", Uint8Array.of(0x48, 0xfc))).body).toBe("Hü");
  });
});
