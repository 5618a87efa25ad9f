import { createHmac, randomBytes } from "node:crypto";
import { Webhook } from "standardwebhooks";
import { describe, expect, it } from "vitest";
import { verifyHmac, verifyStandard, type HmacRule, type Verdict } from "./verify.js";

const now = Date.parse("2027-03-01T05:00:00Z");
const bytes = (text: string): Uint8Array => new TextEncoder().encode(text);
const reasonOf = (verdict: Verdict): string => (verdict.ok ? "ok" : verdict.reason);

describe("a delivery by Standard Webhooks", () => {
  const secret = `whsec_${randomBytes(24).toString("base64")}`;
  const body = '{"type":"stay.booked","data":{"id":"s-1"}}';
  const deliver = (more: Record<string, string | undefined> = {}, at = now) => ({
    headers: {
      "webhook-id": "msg_1",
      "webhook-timestamp": String(at / 1_000),
      "webhook-signature": new Webhook(secret).sign("msg_1", new Date(at), body),
      ...more,
    },
    body: bytes(body),
  });

  it("is taken as the reference library signs it", () => {
    expect(verifyStandard(deliver(), [secret], now)).toEqual({ ok: true });
    // One of several secrets, one of several signatures.
    expect(verifyStandard(deliver(), ["another", secret], now)).toEqual({ ok: true });
    const signed = deliver().headers["webhook-signature"];
    const several = `v1a,xx v1,${Buffer.alloc(32).toString("base64")} ${signed}`;
    expect(verifyStandard(deliver({ "webhook-signature": several }), [secret], now)).toEqual({ ok: true });
  });

  it("is not, and exactly why", () => {
    const say = (more: Record<string, string | undefined>) =>
      reasonOf(verifyStandard(deliver(more), [secret], now));
    expect(say({ "webhook-id": undefined })).toBe("The header webhook-id is missing.");
    expect(say({ "webhook-timestamp": "soon" })).toContain('"soon" is no number of seconds');
    expect(say({ "webhook-signature": "v2,abc" })).toContain("holds no signature v1");
    expect(say({ "webhook-id": "msg_2" })).toContain("does not fit");
    expect(reasonOf(verifyStandard(deliver({}, now - 400_000), [secret], now))).toBe(
      "It was signed 400 s ago, and may be 300 s old.",
    );
    expect(reasonOf(verifyStandard(deliver({}, now + 400_000), [secret], now))).toBe(
      "It was signed 400 s ahead of our clock.",
    );
    expect(
      reasonOf(verifyStandard({ ...deliver(), body: bytes(body.replace("s-1", "s-2")) }, [secret], now)),
    ).toContain("its body was changed");
    expect(
      reasonOf(verifyStandard(deliver(), [`whsec_${randomBytes(24).toString("base64")}`], now)),
    ).toContain("another secret");
    expect(reasonOf(verifyStandard(deliver(), [], now))).toContain("does not fit");
  });
});

describe("a delivery by HMAC", () => {
  const body = Buffer.from([0x7b, 0xff, 0x00, 0x7d]);
  const sign = (
    text: string | Buffer,
    encoding: "hex" | "base64" = "hex",
    key: string | Buffer = "key",
  ): string => createHmac("sha256", key).update(text).digest(encoding);
  const rule = (more: Partial<HmacRule> = {}): HmacRule => ({
    header: "x-sig",
    value: "{hex}",
    base: "${body}",
    within: 300_000,
    ...more,
  });
  const verify = (headers: Record<string, string>, more: Partial<HmacRule> = {}, secrets = ["key"]): string =>
    reasonOf(verifyHmac({ headers, body }, rule(more), secrets, now));
  const seconds = String(now / 1_000);
  const stamped = Buffer.concat([Buffer.from(`${seconds}.`), body]);

  it("is taken over its raw bytes, in each form of header and secret", () => {
    expect(verify({ "x-sig": sign(body) })).toBe("ok");
    expect(verify({ "x-sig": sign(body).toUpperCase() })).toBe("ok");
    expect(verify({ "x-sig": `sha256=${sign(body)}` }, { value: "sha256={hex}" })).toBe("ok");
    expect(verify({ "x-sig": sign(body, "base64") }, { value: "{base64}" })).toBe("ok");
    const base = "${timestamp}.${body}";
    expect(verify({ "x-sig": sign(stamped), "x-time": seconds }, { base, timestamp: "x-time" })).toBe("ok");
    const both = `t=${seconds},v1=${"0".repeat(64)},v1=${sign(stamped)}`;
    expect(verify({ "x-sig": both }, { value: "t={timestamp},v1={hex}", base })).toBe("ok");
    const raw = randomBytes(32);
    for (const secret of [raw.toString("hex"), raw.toString("base64"), `whsec_${raw.toString("base64")}`])
      expect(verify({ "x-sig": sign(body, "hex", raw) }, {}, [secret])).toBe("ok");
    // A text that only looks like Base64 is taken as it is, too.
    expect(
      verify({ "x-sig": sign(body, "hex", "abcdefghijklmnopqrstuvwx") }, {}, ["abcdefghijklmnopqrstuvwx"]),
    ).toBe("ok");
  });

  it("is not, and exactly why", () => {
    const base = "${timestamp}.${body}";
    expect(verify({})).toBe("The header x-sig is missing.");
    expect(verify({ "x-sig": "sha256=zz" }, { value: "sha256={hex}" })).toContain(
      "does not look like sha256={hex}",
    );
    expect(verify({ "x-sig": sign(body, "base64").replace(/=+$/, "!") }, { value: "{base64}" })).toContain(
      "does not look like",
    );
    expect(verify({ "x-sig": sign("other") })).toContain("does not fit");
    expect(verify({ "x-sig": sign(stamped) }, { base, timestamp: "x-time" })).toBe(
      "The header x-time is missing.",
    );
    expect(verify({ "x-sig": `v1=${sign(stamped)}` }, { value: "t={timestamp},v1={hex}", base })).toContain(
      "holds no time",
    );
    const old = String(now / 1_000 - 301);
    expect(
      verify(
        { "x-sig": sign(Buffer.concat([Buffer.from(`${old}.`), body])), "x-time": old },
        { base, timestamp: "x-time" },
      ),
    ).toBe("It was signed 301 s ago, and may be 300 s old.");
    // The time in the header is another than the one that was signed.
    expect(
      verify({ "x-sig": sign(stamped), "x-time": String(now / 1_000 - 1) }, { base, timestamp: "x-time" }),
    ).toContain("does not fit");
  });

  it("costs no more for a header of many parts", () => {
    const many = Array.from({ length: 100_000 }, () => `v1=${"0".repeat(64)}`).join(",");
    const begun = process.cpuUsage().user;
    verify({ "x-sig": many }, { value: "t={timestamp},v1={hex}" });
    expect(process.cpuUsage().user - begun).toBeLessThan(500_000);
  });
});
