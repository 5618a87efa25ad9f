import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { cleanSecret, secretFault } from "../credentials/clean.js";
import { authorize } from "../credentials/credential.js";
import { derivedFraction, derivedUuid } from "./digest.js";
import { durationHint, parseDuration, printForPeople, printSeconds } from "./durations.js";
import { fromBase64, percentEncode, toBase64, utf8 } from "./encodings.js";
import { canonicalDecimal, Exact, parseJson, printJson, sameJson } from "./json.js";
import { mask, MaskSet, maskPlaces, secretPlaces } from "./masking.js";
import { nearest } from "./nearest.js";
import { printPath, valueAt } from "./paths.js";

describe("exact numbers", () => {
  it("are made only where a double does not hold the decimal value", () => {
    expect(parseJson("[9007199254740993, 1.10, 1e5, 100000000000000000000]")).toEqual([
      new Exact("9007199254740993"),
      1.1,
      100_000,
      100_000_000_000_000_000_000,
    ]);
    expect(printJson(parseJson('{"a": 0.12345678901234567890123}'))).toBe('{"a":0.12345678901234567890123}');
  });

  it("are found wherever in a text a number can stand", () => {
    for (const digits of ["9007199254740993", "0.12345678901234567", "1e400", "1.5E-3999", "3e-324"])
      for (const around of [
        "#",
        "-#",
        "[#]",
        "[-#]",
        "[1,#]",
        "[1,\n#]",
        '{"a":#}',
        '{"a":\t-#}',
        "\r\n# ",
      ]) {
        const text = around.replace("#", digits);
        expect(printJson(parseJson(text))).toBe(text.replace(/\s/g, ""));
      }
  });

  it("are equal by decimal value", () => {
    expect(sameJson(new Exact("12345678901234567890"), new Exact("1234567890123456789e1"))).toBe(true);
    expect(sameJson({ a: [1, { b: null }] }, { a: [1, { b: null }] })).toBe(true);
    expect(sameJson({ a: 1 }, { a: 1, b: 2 })).toBe(false);
    expect(["0", "-0.00", "10", "1e1", "1.0E+1"].map(canonicalDecimal)).toEqual([
      "0",
      "0",
      "1e1",
      "1e1",
      "1e1",
    ]);
  });
});

describe("masking", () => {
  const secret = 's3cr3t/with+signs"&é';

  it("finds a secret in any text, however it is encoded and wherever it stands", () => {
    fc.assert(
      fc.property(
        fc.string({ maxLength: 5 }),
        fc.string({ maxLength: 5 }),
        fc.string({ minLength: 8, maxLength: 30, unit: "grapheme" }),
        (before, after, value) => {
          fc.pre(value.isWellFormed());
          const masks = new MaskSet();
          masks.add([value]);
          for (const form of [
            value,
            percentEncode(value),
            encodeURIComponent(value),
            JSON.stringify(value).slice(1, -1),
          ]) {
            const masked = masks.text(before + form + after);
            expect(masked).toContain(mask);
            if (!(before + after).includes(form)) expect(masked.split(mask).join("")).not.toContain(form);
          }
        },
      ),
    );
  });

  it("finds it in Base64 at all three alignments", () => {
    const masks = new MaskSet();
    masks.add([secret]);
    for (const before of ["", "a", "ab", "abc"]) {
      expect(masks.text(toBase64(utf8(`${before}${secret}:more`)))).toContain(mask);
    }
  });

  it("masks texts, keys and digits in a value, and leaves the rest alone", () => {
    const masks = new MaskSet();
    masks.add([secret, "1234567890", "short"]);
    const value = { list: [`x ${secret}`, 1234567890, 5, null, true], [secret]: "short" };
    expect(masks.json(value)).toEqual({ list: [`x ${mask}`, mask, 5, null, true], [mask]: "short" });
    expect(masks.size).toBe(2);
  });

  it("masks places, and finds them by the names of their fields", () => {
    const answer = {
      access_token: "abc",
      nested: [{ "client-secret": "def", Password: 5, name: "x" }],
      token_type: "bearer",
    };
    const places = secretPlaces(answer);
    expect(places.map((place) => printPath(place))).toEqual([
      "access_token",
      'nested[0]["client-secret"]',
      "nested[0].Password",
    ]);
    expect(maskPlaces(answer, [...places, ["nowhere", "deep"]])).toEqual({
      access_token: mask,
      nested: [{ "client-secret": mask, Password: mask, name: "x" }],
      token_type: "bearer",
    });
    expect(maskPlaces({ headers: [["a", "b"]] }, [["headers", "*", 1]])).toEqual({ headers: [["a", mask]] });
    const byHut = { huts: { eyrie: { pin: 1, beds: 2 }, corrie: { pin: null, beds: 3 } } };
    expect(
      maskPlaces(byHut, [
        ["huts", "*", "pin"],
        ["huts", "corrie", "beds"],
      ]),
    ).toEqual({
      huts: { eyrie: { pin: mask, beds: 2 }, corrie: { pin: null, beds: mask } },
    });
  });
});

describe("secrets that a person pasted", () => {
  it.each([
    ["sk-1234", "Bearer ", "sk-1234", []],
    ["Bearer sk-1234", "Bearer ", "sk-1234", ['the prefix "Bearer"']],
    ["bearer  sk-1234\r\n", "Bearer ", "sk-1234", ["line ends", 'the prefix "Bearer"']],
    [' "sk-1234" ', "", "sk-1234", ["outer spaces", "quotes"]],
    ["“sk-1234”", "", "sk-1234", ["quotes"]],
    [
      "Authorization: Bearer sk-1234",
      "Bearer ",
      "sk-1234",
      ['the name "Authorization:"', 'the prefix "Bearer"'],
    ],
    ["sk\u200b-1234", "", "sk-1234", ["invisible characters"]],
    ["Token 5", "Bearer ", "Token 5", []],
  ])("%j with the prefix %j", (pasted, prefix, secret, removed) => {
    expect(cleanSecret(pasted, prefix)).toEqual({ secret, removed });
  });

  it("are refused where no header could carry them", () => {
    expect(secretFault("")).toContain("empty");
    expect(secretFault("a\nb")).toContain("two pieces");
    expect(secretFault("a–b")).toContain("–");
    expect(secretFault("ok")).toBeUndefined();
  });

  it("go where their credential says, and nowhere else", () => {
    const request = {
      method: "GET",
      url: "https://a.example/x?y=1",
      headers: [
        ["cookie", "a=1"],
        ["X-Key", "old"],
      ] as [string, string][],
    };
    const { request: sent, shown } = authorize(
      request,
      {
        kind: "api-key",
        parts: [
          { place: "query", name: "key", prefix: "", secret: "a&b" },
          { place: "cookie", name: "sid", prefix: "", secret: "c d" },
          { place: "header", name: "X-Key", prefix: "Token ", secret: "e" },
        ],
      },
      { now: 0, nonce: "" },
    );
    expect(sent.url).toBe("https://a.example/x?y=1&key=a%26b");
    expect(sent.headers).toEqual([
      ["Cookie", "a=1; sid=c%20d"],
      ["X-Key", "Token e"],
    ]);
    expect(shown.map((part) => part.value)).toEqual([mask, mask, `Token ${mask}`]);
    expect(request.headers).toHaveLength(2);
  });
});

describe("small things", () => {
  it("reads and prints durations", () => {
    expect(
      ["90s", "1h30m", "250ms", "2d", "1.5s", "-5s", "0", ".5s", "+5s", "1.s"].map(parseDuration),
    ).toEqual([90_000, 5_400_000, 250, 172_800_000, 1_500, -5_000, 0, 500, 5_000, 1_000]);
    expect(["", "5", "5 s", "s", "1x", "-", ".s", "+"].map(parseDuration)).toEqual(Array(8).fill(undefined));
    expect(
      ["5 s", "5 minutes", "5", "2 hours", "3 Days", "7 millis", "soon"].map(
        (text) => /Did you mean (\w+)/.exec(durationHint(text))?.[1],
      ),
    ).toEqual(["5s", "5m", "5s", "2h", "3d", "7ms", undefined]);
    expect([90_000, 1_500].map(printSeconds)).toEqual(["90s", "1.5s"]);
    expect([350, 4_200, 200_000, 7_500_000, 100_000_000].map(printForPeople)).toEqual([
      "350 ms",
      "4.2 s",
      "3 min 20 s",
      "2 h 5 min",
      "1 d 4 h",
    ]);
  });

  it("reads Base64 of either alphabet, and nothing else", () => {
    fc.assert(
      fc.property(fc.uint8Array(), (bytes) => {
        expect(fromBase64(toBase64(bytes))).toEqual(bytes);
      }),
    );
    expect(fromBase64("__4")).toEqual(new Uint8Array([255, 254]));
    expect(fromBase64("a")).toBeUndefined();
    expect(fromBase64("a*b=")).toBeUndefined();
  });

  it("derives ids and chance from their parts alone", () => {
    expect(derivedUuid("a", "b", 1)).toBe(derivedUuid("a", "b", 1));
    expect(derivedUuid("a", "b", 1)).not.toBe(derivedUuid("a", "b", 2));
    expect(derivedUuid("ab", "")).not.toBe(derivedUuid("a", "b"));
    expect(derivedUuid("a")).toMatch(/^[0-9a-f]{8}-[0-9a-f]{4}-8[0-9a-f]{3}-[89ab][0-9a-f]{3}-[0-9a-f]{12}$/);
    const chances = Array.from({ length: 500 }, (_, index) => derivedFraction("x", index));
    expect(Math.min(...chances)).toBeGreaterThanOrEqual(0);
    expect(Math.max(...chances)).toBeLessThan(1);
    expect(chances.reduce((sum, chance) => sum + chance, 0) / 500).toBeCloseTo(0.5, 1);
  });

  it("finds the nearest word, when it is near", () => {
    expect(nearest("titel", ["title", "about"])).toBe("title");
    expect(nearest("emial", ["email", "hut"])).toBe("email");
    expect(nearest("xyz", ["title"])).toBeUndefined();
  });

  it("prints paths as expressions write them", () => {
    expect(printPath(["steps", "a", "items", 0, "first name"])).toBe('steps.a.items[0]["first name"]');
    expect(valueAt({ a: [{ b: 1 }] }, ["a", 0, "b"])).toBe(1);
    expect(valueAt({ a: 1 }, ["a", "b"])).toBeUndefined();
    expect(valueAt({}, ["constructor"])).toBeUndefined();
  });
});
