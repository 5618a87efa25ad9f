import { responseMismatches, inferShape, readApi } from "../../core/dist/index.js";
import { stringify } from "yaml";
import { publish } from "./service-run.mjs";
import { largeResponse } from "./large-response.mjs";

/** An OpenAPI document of about 5 MB with 1,000 operations, or of as many as are wanted. */
function largeDocument(base, operations = 1_000) {
  const paths = Object.fromEntries(
    Array.from({ length: operations }, (_, index) => [
      `/huts${index}/{id}`,
      {
        get: {
          operationId: `hut${index}`,
          summary: `Hut number ${index}`,
          description: "A hut in the hills. ".repeat(230),
          parameters: [{ name: "id", in: "path", required: true, schema: { type: "string" } }],
          responses: {
            200: {
              description: "It.",
              content: { "application/json": { schema: { $ref: "#/components/schemas/Hut" } } },
            },
          },
        },
      },
    ]),
  );
  const Hut = {
    type: "object",
    properties: { id: { type: "string" }, next: { $ref: "#/components/schemas/Hut" } },
  };
  const info = { title: "Many huts", version: "1" };
  return { openapi: "3.0.3", info, servers: [{ url: base }], paths, components: { schemas: { Hut } } };
}

/** The longest answer of /healthz, in milliseconds, while something is done, and while nothing is. */
async function longestAnswer(url, work) {
  const ask = async () => (await timed(() => fetch(`${url}/healthz`))).millis;
  let idle = 0;
  for (let at = 0; at < 50; at++) idle = Math.max(idle, await ask());
  let [longest, over] = [0, false];
  const watching = (async () => {
    while (!over) longest = Math.max(longest, await ask());
  })();
  await work();
  over = true;
  await watching;
  return { longest, idle };
}

async function timed(work) {
  const began = performance.now();
  const result = await work();
  return { millis: performance.now() - began, result };
}

/**
 * What described APIs cost: reading a large document, its list, comparing responses with their shape, and inferring one.
 * @param service a service under way
 * @param base the address of a server that answers
 */
export async function describing(service, base) {
  const document = largeDocument(base);
  const text = JSON.stringify(document);
  const yaml = stringify(document);
  const parse = await timed(() => JSON.parse(text));
  const put = (name, given) => timed(() => service.call("PUT", `/api/apis/${name}`, { text: given }));
  const json = await put("many", text);
  const asYaml = await put("many-yaml", yaml);
  const larger = JSON.stringify({ text: JSON.stringify(largeDocument(base, 2_600)) });
  const headersOfCall = { Authorization: `Bearer ${service.token}`, "Content-Type": "application/json" };
  const waits = await longestAnswer(service.url, () =>
    fetch(`${service.url}/api/apis/larger`, { method: "PUT", headers: headersOfCall, body: larger }),
  );
  const list = await timed(() => service.call("GET", "/api/apis/many/operations"));

  const samples = Array.from({ length: 1_000 }, (_, index) => largeResponse(index));
  const texts = samples.map((sample) => JSON.stringify(sample));
  const read = await timed(() => texts.map((one) => JSON.parse(one)));
  const infer = await timed(() => inferShape(samples));

  const described = {
    openapi: "3.1.0",
    info: { title: "Large", version: "1" },
    servers: [{ url: base }],
    paths: {
      "/large": {
        get: {
          operationId: "large",
          responses: { 200: { description: "", content: { "application/json": { schema: infer.result } } } },
        },
      },
    },
  };
  await service.call("PUT", "/api/apis/large", { text: JSON.stringify(described) });
  const [operation] = readApi(described).operations;
  const headers = { "content-type": "application/json" };
  const check = () =>
    samples.forEach((body) => responseMismatches(described, operation, { status: 200, headers, body }));
  check();
  const compare = await timed(check);
  // Five calls a run, so that starting and ending one weighs little.
  const steps = Array.from({ length: 5 }, (_, index) => `  - { step: s${index}, operation: large.large }`);
  await publish(
    service.call,
    "large",
    `copper-kettle: 1\nname: large\nlimits: { parallel: 20 }\nsteps:\n${steps.join("\n")}\n`,
  );
  const runs = 200;
  const running = await timed(async () => {
    await Promise.all(
      Array.from({ length: runs }, () => service.call("POST", "/api/workflows/large/runs", { inputs: {} })),
    );
    while (
      (await service.call("GET", "/api/runs?workflow=large&state=queued,running,waiting&limit=1")).runs
        .length > 0
    )
      await new Promise((resolve) => setTimeout(resolve, 20));
  });
  const aStep = running.millis / runs / 5;
  const aCheck = compare.millis / samples.length;
  const row = (what, millis, baseline, ratio, most) => ({ what, millis, baseline, ratio, most });
  return [
    row(
      `import of ${(text.length / 1e6).toFixed(1)} MB JSON with 1,000 operations`,
      json.millis,
      "parsing it",
      json.millis / parse.millis,
      "5,000 ms",
    ),
    row(
      `import of the same in YAML, ${(yaml.length / 1e6).toFixed(1)} MB`,
      asYaml.millis,
      "parsing the JSON",
      asYaml.millis / parse.millis,
      "5,000 ms",
    ),
    row(
      `the longest answer of /healthz while ${(larger.length / 1e6).toFixed(1)} MB are imported`,
      waits.longest,
      "without it",
      waits.longest / waits.idle,
      "200 ms",
    ),
    row("the list of its 1,000 operations", list.millis, "parsing it", list.millis / parse.millis, "300 ms"),
    row(
      "the shape of 1,000 samples of 10 KB",
      infer.millis,
      "parsing them",
      infer.millis / read.millis,
      "1,000 ms",
    ),
    row(
      "comparing a response of 10 KB with its shape",
      aCheck,
      "a step with it",
      aCheck / aStep,
      "0.05 of a step",
    ),
  ];
}
