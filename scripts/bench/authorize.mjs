import { authorize } from "../../core/dist/index.js";
import { createHmac, randomBytes } from "node:crypto";
import { Agent, request } from "undici";

/** Milliseconds a time, over many. */
function each(times, work) {
  for (let warm = 0; warm < times / 10; warm++) work();
  const began = performance.now();
  for (let count = 0; count < times; count++) work();
  return (performance.now() - began) / times;
}

const call = {
  method: "POST",
  url: "https://tanks.example/tanks/eyrie/threshold?season=summer",
  headers: [["Accept", "application/json"]],
  body: JSON.stringify({ percent: 30, note: "x".repeat(500) }),
};
const part = (place, name) => ({ place, name, prefix: "", secret: "st-77ab90c1f3e2" });
const kinds = {
  bearer: { kind: "bearer", token: "sk-stays-4b7e1f20c9" },
  basic: { kind: "basic", user: "larkspur", password: "Sheep & 12 huts" },
  "api-key, two headers": {
    kind: "api-key",
    parts: [part("header", "X-Store-Office"), part("header", "X-Store-Key")],
  },
  "api-key, query and body": { kind: "api-key", parts: [part("query", "key"), part("body", "key")] },
  signed: {
    kind: "signed",
    secrets: { token: "tk-4f12a9", key: "ts-9c0d4be81a77" },
    scheme: {
      base: "${request.method}\n${request.path}\n${time.seconds}\n${nonce}\n${base64.encode(sha256(request.body))}",
      signature: "base64.encode(hmacSha256(secret.key, base))",
      headers: { "X-Time": "${time.seconds}", "X-Nonce": "${nonce}", "X-Signature": "${signature}" },
    },
  },
};

/**
 * What authorizing adds to a call, in milliseconds, and as a part of one bare call over loopback in the same run.
 * @param base the address of a server that answers
 */
export async function authorizing(base) {
  const dispatcher = new Agent({ connections: 1 });
  const calls = 2_000;
  const began = performance.now();
  for (let count = 0; count < calls; count++) {
    const { body } = await request(`${base}/guests`, { dispatcher });
    await body.dump();
  }
  const bare = (performance.now() - began) / calls;
  await dispatcher.close();
  const rows = Object.entries(kinds).map(([name, credential]) => ({
    what: name,
    millis: each(20_000, () =>
      authorize(call, credential, { now: Date.now(), nonce: randomBytes(16).toString("hex") }),
    ),
    most: credential.kind === "signed" ? 1 : 0.3,
  }));
  const digest = each(20_000, () => createHmac("sha256", "key").update(call.body).digest("base64"));
  return { bare, digest, rows };
}
