import { describe, expect, it } from "vitest";
import { readWorkflow } from "../workflows/read.js";
import { callWordsAt } from "./call-words.js";

const words = (call: string): string[] => {
  const text = `copper-kettle: 1\nname: a\nsteps:\n  - { step: a, ${call} }\n`;
  return callWordsAt(readWorkflow(text).partial?.steps ?? [], 4, (_api, id) =>
    id === "read" ? "reads" : "writes",
  );
};
const first = (call: string): string => words(call)[0] as string;

describe("what will happen to a call, in words", () => {
  it("lists the waits and the reasons by which the engine goes", () => {
    expect(first("request: GET https://a.example")).toBe(
      "Tries again after 1 s, 2 s and 4 s (a little more by chance), when no response comes or when the response is 408, 425, 429, 500, 502, 503 or 504.",
    );
    expect(
      first("request: POST https://a.example, retry: { waits: [5s, 20s, 1m, 10m], when: status == 404 }"),
    ).toBe(
      "Tries again after 5 s, 20 s, 1 min and 10 min, when nothing was sent, when the response is 425 or 429, when it is 503 and says when to come again or when status == 404 is true.",
    );
    expect(first("request: GET https://a.example, retry: { times: 0 }")).toBe("Is sent once, and not again.");
    expect(
      first("request: GET https://a.example, retry: { times: 10, wait: 1s, most: 20s, jitter: 0 }"),
    ).toBe(
      "Tries again after 1 s, 2 s, 4 s and so on, the last time after 20 s, 10 times at most, when no response comes or when the response is 408, 425, 429, 500, 502, 503 or 504.",
    );
    expect(first('request: GET https://a.example, retry: { only-when: "status == 409" }')).toContain(
      ", only when status == 409 is true.",
    );
  });

  it("says what is done where nobody knows, of keys, pages, looks and time limits", () => {
    expect(words("request: POST https://a.example")).toContain(
      "If nobody knows whether it arrived, the run waits for a person to decide.",
    );
    const keyed = words("request: POST https://a.example, idempotency: auto");
    expect(keyed[0]).toContain("when no response comes");
    expect(keyed).toContain(
      "The API knows a repeat by a key (Idempotency-Key), so that sending again does no harm.",
    );
    expect(words("operation: x.read, pages: all").join(" ")).toContain("page after page");
    expect(words("operation: x.write").join(" ")).toContain("a person to decide");
    expect(
      words('request: GET https://a.example, until: { done: "body.ready", every: 10s, within: 5m }'),
    ).toContain("Asks again every 10 s, for at most 5 min, until body.ready is true.");
    expect(words("request: GET https://a.example, timeout: { response: 5s }")).toContain(
      "Waits up to 10 s for the connection and 5 s for the response.",
    );
    expect(words("note: x")).toEqual([]);
  });
});
