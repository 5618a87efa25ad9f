import { routes } from "@copper-kettle/contract";
import { createServer, type Server } from "node:http";
import type { AddressInfo } from "node:net";
import { readdir, readFile } from "node:fs/promises";
import { join } from "node:path";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { deliveries, sampleOfRun, throughProxy } from "./at-rest.kit.js";
import { World } from "./kit.js";

/** Each secret that was made is marked, so that it is found wherever it lies. */
const made: string[] = [];
const secret = (what: string): string => {
  const text = `zq${made.length}7-${what}-Kx/9+${made.length}`;
  made.push(text);
  return text;
};

/** A server that echoes what it gets in every way that a server does. */
async function echo(): Promise<{ url: string; server: Server }> {
  const server = createServer((request, response) => {
    let body = "";
    request.setEncoding("utf8").on("data", (piece: string) => (body += piece));
    request.on("end", () => {
      const { url = "/", headers } = request;
      const path = url.split("?")[0];
      const said = { url, headers, body };
      const json = (status: number, value: unknown): void => {
        response.writeHead(status, { "Content-Type": "application/json" }).end(JSON.stringify(value));
      };
      switch (path) {
        case "/bytes":
          return void response
            .writeHead(200, { "Content-Type": "application/octet-stream" })
            .end(Buffer.from(`\u0000\u0001${JSON.stringify(said)}`));
        case "/form":
          return void response
            .writeHead(200, { "Content-Type": "application/x-www-form-urlencoded" })
            .end(`token_type=bearer&access_token=${encodeURIComponent(secrets.form)}`);
        case "/login":
          return json(200, {
            access_token: secrets.access,
            refresh_token: secrets.refresh,
            id_token: secrets.id,
            device_code: secrets.device,
            client_secret: secrets.client,
            password: 47_110_815,
            user: "may",
          });
        case "/xml":
          return void response
            .writeHead(200, { "Content-Type": "application/xml" })
            .end(`<a token_type="bearer"><access_token>${secrets.xml}</access_token></a>`);
        case "/deep": {
          let value: object = { access_token: secrets.deep };
          for (let level = 0; level < 60; level++) value = { in: value };
          return json(200, value);
        }
        case "/refuse":
          return json(422, { password: secrets.refused, message: `${secrets.refused} is not good`, said });
        case "/oauth/token":
          return json(400, {
            error: "invalid_client",
            error_description: `no: ${body} ${Buffer.from((headers.authorization ?? "").slice(6), "base64").toString()}`,
          });
        case "/unsure":
          return void request.socket.destroy();
        default:
          return json(200, said);
      }
    });
  });
  await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
  return { url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`, server };
}

const secrets = {
  form: secret("form"),
  access: secret("access"),
  id: secret("id"),
  device: secret("device"),
  client: secret("answered-client"),
  xml: secret("xml"),
  refresh: secret("refresh"),
  deep: secret("deep"),
  refused: secret("refused"),
};

describe("everything that can hold a secret", () => {
  let world: World;
  let far: { url: string; server: Server };
  beforeAll(async () => {
    far = await echo();
    world = await World.start({
      demo: false,
      env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1", COPPER_KETTLE_LOG: "trace" },
    });
  });
  afterAll(async () => {
    far.server.closeAllConnections();
    far.server.close();
    await world.close();
  });

  const publish = (name: string, steps: string, inputs = ""): Promise<string> =>
    world.publish(`copper-kettle: 1\nname: ${name}\n${inputs}steps:\n${steps}`);
  const pinned =
    "inputs: { type: object, properties: { pin: { type: string, writeOnly: true }, n: { type: integer, writeOnly: true } } }\n";

  it("is filled with secrets: credentials of every kind, runs of every kind, tries, tests by hand, settings", async () => {
    const put = (name: string, body: object) =>
      world.client.call(routes.putCredential, { params: { name }, body: body as never });
    await put("bearer", { kind: "bearer", token: secret("bearer") });
    await put("basic", { kind: "basic", user: "hut", password: secret("basic") });
    await put("digest", { kind: "digest", user: "hut", password: secret("digest") });
    await put("keys", {
      kind: "api-key",
      parts: [
        { place: "header", name: "X-Hut", secret: secret("header") },
        { place: "query", name: "hut", secret: secret("query") },
        { place: "cookie", name: "hut", secret: secret("cookie") },
      ],
    });
    await put("signed", {
      kind: "signed",
      scheme: {
        base: "${request.method}",
        signature: "base64.encode(hmacSha256(secret.key, base))",
        headers: { "X-Sig": "${signature}" },
      },
      secrets: { key: secret("signing") },
    });
    for (const grant of ["client-credentials", "password"])
      await put(`oauth-${grant}`, {
        kind: "oauth2",
        grant,
        tokenUrl: `${far.url}/oauth/token`,
        clientId: "desk",
        clientSecret: secret(`client-${grant}`),
        clientAuth: grant === "password" ? "client_secret_post" : "client_secret_basic",
        ...(grant === "password" ? { user: "may", password: secret("person") } : {}),
        scopes: [],
      });
    for (const name of [
      "bearer",
      "basic",
      "digest",
      "keys",
      "signed",
      "oauth-client-credentials",
      "oauth-password",
    ]) {
      await publish(
        `use-${name}`,
        `  - { step: a, request: "GET ${far.url}/echo", using: ${name}, keep-going: true }\n  - { step: b, request: "POST ${far.url}/bytes", using: ${name}, keep-going: true }\n`,
      );
      await world.settled((await world.run(`use-${name}`)).id);
      await world.client.call(routes.checkCredential, { params: { name }, body: { url: `${far.url}/echo` } });
    }

    await publish(
      "child",
      `  - { step: n, note: "\${inputs.pin}" }\n  - { step: r, respond: { body: { echo: "\${inputs.pin}" } } }\n`,
      pinned.replace(", writeOnly: true }, n", " }, n"),
    );
    await publish(
      "all",
      `  - { step: login, request: "POST ${far.url}/login", body: { json: { pin: "\${inputs.pin}", n: "\${inputs.n}" } } }
  - { step: form, request: "POST ${far.url}/form" }
  - { step: xml, request: "GET ${far.url}/xml" }
  - { step: xmlText, note: "\${steps.xml.text}" }
  - { step: deep, request: "GET ${far.url}/deep" }
  - { step: file, request: "POST ${far.url}/bytes", headers: { X-T: "\${steps.login.body.access_token}" } }
  - { step: k, remember: { key: desk, values: { all: "\${steps.login.body}", f: "\${steps.form.text}" }, append: { list: "\${inputs.pin}" } } }
  - { step: n, note: "\${remembered('desk')} \${string(steps.login.body.password)}" }
  - { step: e, ensure: { find: { request: "GET ${far.url}/echo", query: { t: "\${inputs.pin}" } }, lock: "hold \${inputs.pin}" } }
  - { step: l, each: "[steps.login.body, steps.form.body]", collect: item, steps: [{ step: x, note: "\${item}" }] }
  - { step: w, workflow: { name: child, inputs: { pin: "\${inputs.pin}" } } }
  - { step: s, set: { token: "\${steps.login.body.refresh_token}" } }
  - { step: bad, request: "POST ${far.url}/refuse", keep-going: true }
  - { step: r, respond: { body: { t: "\${variables.token}", p: "\${inputs.pin}", b: "\${steps.bad.error.body}" } } }
`,
      pinned,
    );
    const inputs = { pin: secret("input"), n: 660_011_223_344 };
    const first = await world.settled((await world.run("all", inputs)).id);
    expect(first).toMatchObject({ state: "succeeded", problems: 1 });

    const start = (name: string, body: object) =>
      world.client.call(routes.startRun, { params: { name }, body: body as never });
    const done = async (run: { id: string }, states?: string[]) => world.settled(run.id, states);
    await done(await start("all", { inputs, options: { fixedFrom: first.id, only: { step: "n" } } }));
    await done(
      await start("all", {
        inputs,
        options: {
          fixed: { login: { body: { access_token: secret("parked"), refresh_token: "r" } } },
          only: { step: "s" },
        },
      }),
    );
    await done(await start("all", { inputs, options: { rehearsal: true } }));
    await done(
      await start("all", {
        inputs,
        options: {
          to: "login",
          faults: [{ step: "login", times: 1, status: 200, body: { access_token: secret("fault") } }],
        },
      }),
    );
    // A condition that names a secret, in the options of the run and in the reason why it waits.
    const when = `inputs.pin == "${inputs.pin}"`;
    const stopped = await done(
      await start("all", { inputs, options: { breakpoints: [{ step: "s", when }] } }),
      ["waiting"],
    );
    await world.client.call(routes.continueRun, {
      params: { id: stopped.id },
      body: { set: { "steps.login.body.refresh_token": secret("set") } },
    });
    await done(stopped);
    await done(await world.client.call(routes.runAgain, { params: { id: first.id }, body: { from: "n" } }));

    await publish(
      "unsure",
      `  - { step: u, request: "POST ${far.url}/unsure" }\n  - { step: n, note: "\${steps.u.body.access_token}" }\n`,
    );
    const unsure = await done(await world.run("unsure"), ["unsure"]);
    await world.client.call(routes.decideRun, {
      params: { id: unsure.id },
      body: {
        decision: "happened",
        attempt: 1,
        outcome: { status: 200, body: { access_token: secret("decided") } },
      },
    });
    await done(unsure);

    const attempt = (body: object) => world.client.call(routes.tryOperation, { body: body as never });
    await attempt({
      url: `${far.url}/echo?api_key=${encodeURIComponent(secret("try-query"))}`,
      headers: {
        Authorization: `Bearer ${secret("try-bearer")}`,
        "X-Api-Key": secret("try-key"),
        Cookie: `sid=${secret("try-cookie")}`,
      },
    });
    await attempt({
      url: `${far.url}/echo`,
      method: "POST",
      body: { json: { user: "may", password: secret("try-json") } },
    });
    await attempt({
      url: `${far.url}/echo`,
      method: "POST",
      body: { form: { client_secret: secret("try-form") } },
    });
    await attempt({
      pasted: `curl ${far.url}/echo -H 'PRIVATE-TOKEN: ${secret("sample-header")}' -d '{"password":"${secret("sample-body")}"}' -H 'Content-Type: application/json'`,
    });
    await attempt({ url: `${far.url}/login`, method: "POST" });
    await attempt({ url: `${far.url}/form` });
    await world.client.call(routes.addOperation, {
      params: { name: "pasted" },
      body: {
        text: `curl ${far.url}/echo -u 'may:${secret("sample-user")}' -H 'Subscription-Key: ${secret("sample-key")}' -d 'client_secret=${secret("sample-form").replaceAll("+", "%2B")}'`,
        id: "pasted",
        credential: "from-sample",
      } as never,
    });
    await sampleOfRun(world);
    await world.client.call(routes.putNotifications, {
      body: {
        mail: {
          host: "127.0.0.1",
          port: 9,
          tls: "none",
          user: "desk",
          password: secret("mail"),
          from: "a@huts.example",
          to: ["b@huts.example"],
        },
        webhook: { url: `${far.url}/echo`, secret: webhookSecret },
      } as never,
    });
    await world.client.call(routes.tryNotifications);
    await done(await world.run("all", { ...inputs, pin: secret("second-input") }));
    made.push(...(await deliveries(world, far.url, secret)));
    await throughProxy(world, far.url, secret);
    expect(made.length).toBeGreaterThanOrEqual(50);
  }, 120_000);

  const webhookSecret = `whsec_${Buffer.from("a signing secret of the desk").toString("base64")}`;

  it("shows none of them, and has none of them on its disk, in its log, or in a backup", async () => {
    const places: [string, string][] = [];
    const look = async (path: string): Promise<void> => {
      const response = await fetch(world.url + path, { headers: { Authorization: `Bearer ${world.token}` } });
      expect([path, response.status]).toEqual([path, 200]);
      places.push([path, await response.text()]);
    };
    const { runs } = await world.client.call(routes.listRuns, { query: { limit: 200 } });
    for (const path of [
      "/api/runs?limit=200",
      "/api/home",
      "/api/credentials",
      "/api/activity",
      "/api/tries?limit=100",
      "/api/locks",
      "/api/rate-limits",
      "/api/constants",
      "/api/drift",
      "/api/workflows/all/remembered",
      "/api/apis/pasted/document",
      "/api/settings/notifications",
      "/api/network",
      "/api/triggers",
      "/api/workflows/told/events?limit=200",
      "/api/workflows/told/triggers/seen/looks",
      "/api/workflows/told/triggers/gone/looks",
      "/api/workflows/told/trigger-shapes",
      "/api/workflows/told/description",
      "/webhooks/openapi.json",
      "/metrics",
    ])
      await look(path);
    for (const { id } of runs)
      for (const part of ["", "/journal?limit=1000", "/scope"]) await look(`/api/runs/${id}${part}`);
    const { tries } = await world.client.call(routes.listTries, { query: { limit: 100 } });
    for (const { id } of tries) await look(`/api/tries/${id}`);
    await world.client.call(routes.backup, { body: { folder: "searched" } });
    await world.end("SIGTERM");
    for (const file of await readdir(world.folder, { recursive: true })) {
      const bytes = await readFile(join(world.folder, file)).catch(() => undefined);
      if (bytes) places.push([file, bytes.toString("latin1")]);
    }
    places.push(["the log", world.log]);
    expect(places.length).toBeGreaterThan(60);
    const found = places.flatMap(([place, text]) =>
      [...made, webhookSecret.slice(6), "47110815", "660011223344"].flatMap((one) =>
        [one, encodeURIComponent(one), JSON.stringify(one).slice(1, -1), ...base64Forms(one)].flatMap(
          (form) =>
            form.length >= 8 && text.includes(form)
              ? [
                  `${one} in ${place}: …${text.slice(Math.max(0, text.indexOf(form) - 100), text.indexOf(form) + 20)}`,
                ]
              : [],
        ),
      ),
    );
    expect(found.slice(0, 12)).toEqual([]);
  });
});

/** A text in Base64 at each alignment, without the characters that mix with its neighbours. */
function base64Forms(text: string): string[] {
  return [0, 1, 2].map((shift) =>
    Buffer.from("z".repeat(shift) + text)
      .toString("base64")
      .slice(shift === 0 ? 0 : 4, -4),
  );
}
