import fc from "fast-check";
import { describe, expect, it } from "vitest";
import { bounds } from "./bounds.js";
import { nestsDeeper } from "./depth.js";
import { canonicalDecimal, isDeeper, JsonSyntaxError, parseJson, printJson, type Json } from "./json.js";
import { isKeyName, maskKeyNames, MaskSet, secretFormValues, secretPlaces } from "./masking.js";
import { nearest } from "./nearest.js";
import { Needles } from "./needles.js";

const nested = (deep: number): string => "[".repeat(deep) + "]".repeat(deep);

describe("JSON from outside", () => {
  it("is read as deep as the bound, and refused beyond it with a sentence", () => {
    expect(printJson(parseJson(nested(bounds.jsonDepth)))).toBe(nested(bounds.jsonDepth));
    for (const deep of [bounds.jsonDepth + 1, 8_000, 200_000])
      expect(() => parseJson(nested(deep))).toThrow(`nested more than ${bounds.jsonDepth} deep`);
    expect(isDeeper(parseJson(nested(200)), 199)).toBe(true);
    expect(isDeeper(parseJson(nested(200)), 200)).toBe(false);
  });

  it("has its depth told by its brackets, and by none that stands in a text", () => {
    fc.assert(
      fc.property(fc.jsonValue({ maxDepth: 12 }), (value) => {
        const depth = (part: unknown): number =>
          typeof part === "object" && part !== null ? 1 + Math.max(0, ...Object.values(part).map(depth)) : 0;
        const text = `[${JSON.stringify(value)},${JSON.stringify("[[{{".repeat(300) + '\\"')}]`;
        const deep = depth(value) + 1;
        expect([nestsDeeper(text, deep - 1), nestsDeeper(text, deep)]).toEqual([true, false]);
      }),
    );
  });

  // Each of these took minutes, and held everybody else up.
  it("takes time in proportion to its length, whatever its digits", () => {
    const digits = 1_000_000;
    for (const number of [
      `0.1${"0".repeat(digits)}1`,
      `1${"0".repeat(digits)}1`,
      `0.${"0".repeat(digits)}1`,
      `1e-${"9".repeat(1_000)}`,
    ])
      expect(printJson(parseJson(`{"n":${number}}`))).toBe(`{"n":${number}}`);
    expect(canonicalDecimal(`5${"0".repeat(digits)}`)).toBe(`5e${digits}`);
    expect(() => parseJson('"'.repeat(digits))).toThrow(JsonSyntaxError);
  }, 30_000);

  it("may hold so many numbers of many digits, and no more", () => {
    const list = (count: number): string =>
      `[${Array.from({ length: count }, () => "12345678901234567890").join()}]`;
    expect(parseJson(list(1_000))).toHaveLength(1_000);
    expect(() => parseJson(list(bounds.exactNumbers + 1))).toThrow(
      `more than ${bounds.exactNumbers} numbers`,
    );
  });

  it("takes the last of two values of one key, with a long number in it or not", () => {
    expect(parseJson('{"a":1,"a":2}')).toEqual({ a: 2 });
    expect(printJson(parseJson('{"a":1,"a":12345678901234567890}'))).toBe('{"a":12345678901234567890}');
    expect(() => parseJson('{"a":12345678901234567890,"a"}')).toThrow(/position \d+/);
  });

  it("does not reach the prototype of anything", () => {
    const value = parseJson('{"__proto__":{"admin":true},"constructor":{"prototype":{"admin":true}}}');
    expect(Object.keys(value as object)).toEqual(["__proto__", "constructor"]);
    expect(({} as { admin?: boolean }).admin).toBeUndefined();
  });
});

describe("a word that nobody meant", () => {
  it("is not compared with others where it is longer than any word", () => {
    expect(nearest("stpes", ["steps"])).toBe("steps");
    expect(
      nearest(
        "s".repeat(1_000_000),
        Array.from({ length: 100 }, () => "t".repeat(90)),
      ),
    ).toBeUndefined();
  }, 30_000);
});

describe("secrets in texts", () => {
  it("are found wherever they stand, however many there are, as one after the other would", () => {
    const text = fc.stringMatching(/^[ab]{0,60}$/);
    const needle = fc.stringMatching(/^[ab]{8,12}$/);
    fc.assert(
      fc.property(text, fc.array(needle, { minLength: 1, maxLength: 8 }), (hay, list) => {
        const needles = new Needles();
        for (const one of list) needles.add(one);
        const longestFirst = [...list].sort((a, b) => b.length - a.length);
        let naive = "";
        for (let at = 0; at < hay.length;) {
          const found = longestFirst.find((one) => hay.startsWith(one, at));
          naive += found ? "#" : hay[at];
          at += found?.length ?? 1;
        }
        expect(needles.replace(hay, "#")).toBe(naive);
      }),
      { numRuns: 2_000 },
    );
  });

  it("cost no more for the five-thousandth than for the first", () => {
    const masks = new MaskSet();
    for (let index = 0; index < 5_000; index++) {
      masks.add([`token-${index}-of-an-item`]);
      expect(masks.found(`{"token":"token-${index}-of-an-item"}`)).toBe(true);
    }
    expect(masks.text("a".repeat(5_000_000))).toHaveLength(5_000_000);
    expect(masks.text("token-9".repeat(50_000))).not.toContain("•••");
    masks.remove(["token-7-of-an-item"]);
    expect([masks.found("token-7-of-an-item"), masks.found("token-8-of-an-item")]).toEqual([false, true]);
  }, 30_000);

  it("cost no more where they begin alike, or are like the text for long", () => {
    const alike = new Needles();
    for (let index = 0; index < 2_000; index++) alike.add(`aaaaaaaac${"d".repeat(index)}`);
    const text = "aaaaaaaab".repeat(100_000);
    expect(alike.replace(text, "#")).toBe(text);
    const long = new Needles();
    long.add(`${"a".repeat(500_000)}b`);
    expect(long.replace("a".repeat(1_000_000), "#")).toBe("##");
  }, 5_000);

  it("are found where they are cut off, once enough of them is there", () => {
    const masks = new MaskSet();
    const [token, other] = [`eyJ-${"x1y2".repeat(30)}`, `eyJ-${"x1y2".repeat(20)}-more`];
    masks.add([token, other, "eyJ-x1y2x1y2"]);
    expect(masks.text(`a ${token.slice(0, 64)} b`)).toBe("a ••• b");
    expect(masks.text(`a ${token.slice(0, 63)} b`)).toBe(`a •••${token.slice(12, 63)} b`);
    expect(masks.text(`a ${other}${token}.`)).toBe("a ••••••.");
  });

  it("are found in bytes of other encodings, and as a host name", () => {
    const masks = new MaskSet();
    masks.add(["Hut-Secret-1234"]);
    const utf16 = Uint8Array.from([..."x Hut-Secret-1234"].flatMap((letter) => [letter.charCodeAt(0), 0]));
    expect(masks.foundInBytes(utf16)).toBe(true);
    expect(masks.foundInBytes(new TextEncoder().encode("\u0000\u0001Hut-Secret-1234"))).toBe(true);
    expect(masks.foundInBytes(new TextEncoder().encode("nothing"))).toBe(false);
    expect(masks.text("https://hut-secret-1234.example")).toBe("https://•••.example");
  });

  it("are told by the names of their fields: deep down, in XML's attributes, in forms, and of whatever is typed", () => {
    const deep = (inner: Json, levels: number): Json =>
      levels === 0 ? inner : { in: deep(inner, levels - 1) };
    expect(secretPlaces(deep({ access_token: "x" }, 150))[0]).toHaveLength(151);
    expect(
      secretPlaces({ "@Access-Token": "x", token_type: "Bearer", password: 4711, id_token: "" }),
    ).toEqual([["@Access-Token"], ["password"]]);
    expect(secretFormValues("access_token=a%20b&token_type=bearer&refresh_token=c")).toEqual([
      "a%20b",
      "a b",
      "c",
      "c",
    ]);
    const keys = [
      "Authorization",
      "X-Api-Key",
      "PRIVATE-TOKEN",
      "X-Hut-Application-Key",
      "subscription-key",
      "client_secret",
      "apikey",
      "Cookie",
      "sig",
    ];
    expect(keys.filter((name) => !isKeyName(name))).toEqual([]);
    const plain = ["Content-Type", "Accept", "Idempotency-Key", "page", "monkey", "author", "keyword", "hut"];
    expect(plain.filter(isKeyName)).toEqual([]);
    expect(
      maskKeyNames({ user: "may", password: "p", nested: [{ api_key: "k", n: 1 }], token: null }),
    ).toEqual({
      user: "may",
      password: "•••",
      nested: [{ api_key: "•••", n: 1 }],
      token: null,
    });
  });
});
