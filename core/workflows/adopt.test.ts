import { describe, expect, it } from "vitest";
import { readApi } from "../apis/openapi.js";
import { newDocument } from "../apis/edit.js";
import type { JsonObject } from "../values/json.js";
import { adoptStep, CannotAdopt, type AdoptInto } from "./adopt.js";
import { readWorkflow } from "./read.js";

const file = (steps: string) => `copper-kettle: 1\nname: desk\ninputs: { type: object }\nsteps:\n${steps}`;
const into = (document?: JsonObject, more: Partial<AdoptInto> = {}): AdoptInto => ({
  name: "stays",
  document: document ?? newDocument("stays", ""),
  api: document && readApi(document),
  resolve: (template) => (template === "${constants.stays}" ? "https://stays.example" : undefined),
  ...more,
});

describe("adopting an inline call", () => {
  it("moves what it sends into parameters and leaves all other lines as they are", () => {
    const text = file(
      [
        "  # who is it?",
        "  - step: guest",
        "    request: GET ${constants.stays}/guests/${inputs.id}/stays?page=2   # one page",
        "    using: stays-key",
        "    query:",
        '      from: "${inputs.from}"',
        "      huts: [corrie, juniper]",
        "    headers: { Accept: text/csv, X-Desk: corrie }",
        '    success:   "status == 200"      # aligned',
        "",
        "  - { step: last,   note: done }",
        "",
      ].join("\n"),
    );
    const adopted = adoptStep(text, "guest", into());
    expect(adopted.id).toBe("getGuestsGuestIdStays");
    expect(adopted.text).toBe(
      file(
        [
          "  # who is it?",
          "  - step: guest",
          "    operation: stays.getGuestsGuestIdStays   # one page",
          "    parameters:",
          "      guestId: ${inputs.id}",
          '      page: "2"',
          "      from: ${inputs.from}",
          "      huts: [corrie, juniper]",
          "      X-Desk: corrie",
          "    using: stays-key",
          "    headers: { Accept: text/csv }",
          '    success:   "status == 200"      # aligned',
          "",
          "  - { step: last,   note: done }",
          "",
        ].join("\n"),
      ),
    );
    const api = readApi(adopted.document);
    expect(api.servers).toEqual(["https://stays.example"]);
    expect(
      api.operations[0]?.parameters.map(({ name, in: place, required }) => [name, place, required]),
    ).toEqual([
      ["guestId", "path", true],
      ["page", "query", false],
      ["from", "query", false],
      ["huts", "query", false],
      ["X-Desk", "header", false],
    ]);
    const catalogue = { apis: () => ["stays"], operations: () => api.operations };
    expect(readWorkflow(adopted.text, catalogue).problems).toEqual([]);
  });

  it("works inside branches and on steps on one line", () => {
    const text = file(
      '  - step: any\n    if: "true"\n    then:\n      - { step: a, request: POST https://stays.example/guests, query: { x: 1 }, body: { json: { a: 1 } } }\n',
    );
    const { text: after, document } = adoptStep(text, "a", into(undefined, { id: "addGuest" }));
    expect(after).toContain(
      "- { step: a, operation: stays.addGuest, parameters: { x: 1 }, body: { json: { a: 1 } } }",
    );
    expect(readApi(document).operations[0]?.body).toMatchObject({ content: [{ type: "application/json" }] });
  });

  it("uses an operation that is there, by its own names, and adds the parameters that it lacks", () => {
    const document = {
      openapi: "3.1.0",
      info: { title: "Stays", version: "1" },
      servers: [{ url: "https://stays.example/v1" }],
      paths: {
        "/guests/{id}": {
          get: { operationId: "guest", parameters: [{ name: "id", in: "path", required: true, schema: {} }] },
        },
      },
    };
    const text = file(
      "  - step: a\n    request: GET https://stays.example/v1/guests/${inputs.who}?full=yes\n",
    );
    const adopted = adoptStep(text, "a", into(document));
    expect(adopted).toMatchObject({ id: "guest" });
    expect(adopted.text).toContain(
      '    operation: stays.guest\n    parameters: { id: "${inputs.who}", full: yes }\n',
    );
    expect(readApi(adopted.document).operations[0]?.parameters.map(({ name }) => name)).toEqual([
      "id",
      "full",
    ]);
    expect(adopted.notes.join(" ")).toContain("It now has full");
  });

  it.each([
    ["the step", "nobody", "  - { step: a, note: x }\n", undefined, /no step "nobody"/],
    [
      "an address that is only known later",
      "a",
      "  - { step: a, request: 'GET ${inputs.url}/x' }\n",
      undefined,
      /known only at run time/,
    ],
    [
      "a query that is an expression",
      "a",
      "  - { step: a, request: GET https://stays.example/x, query: '${inputs}' }\n",
      undefined,
      /query is known only/,
    ],
    [
      "a name in two places",
      "a",
      "  - { step: a, request: GET https://stays.example/x?n=1, headers: { n: b } }\n",
      undefined,
      /two places/,
    ],
    [
      "another server",
      "a",
      "  - { step: a, request: GET https://boards.example/x }\n",
      newDocument("stays", "https://stays.example"),
      /the API stays is at/,
    ],
  ])("says what is wrong: %s", (_what, step, steps, document, message) => {
    const run = () => adoptStep(file(steps), step, into(document));
    expect(run).toThrowError(CannotAdopt);
    expect(run).toThrowError(message);
  });
});
