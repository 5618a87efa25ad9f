import { credentialsRoutes, filesRoutes, runsRoutes, urlOf } from "@copper-kettle/contract";
import { readFileSync } from "node:fs";
import { readdir, rm, writeFile } from "node:fs/promises";
import { join } from "node:path";
import type { Browser } from "playwright-core";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { launch, signIn } from "./browser.js";
import { World } from "./kit.js";
import { oddServer, pixel, type OddServer } from "./odd-server.kit.js";

describe("files that a run holds", () => {
  let world: World;
  let far: OddServer;
  let browser: Browser;
  let run: string;
  let files: Record<string, string>;
  const step = (name: string, path: string, more = "") =>
    `  - { step: ${name}, request: "GET ${far.url}${path}"${more} }`;
  beforeAll(async () => {
    [world, far, browser] = await Promise.all([
      World.start({ env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1" } }),
      oddServer(),
      launch(),
    ]);
    await world.client.call(credentialsRoutes.putCredential, {
      params: { name: "far-key" },
      body: { kind: "bearer", hosts: [new URL(far.url).host], token: "sk-far-0123456789abcdef" },
    });
    await world.publish(
      `copper-kettle: 1\nname: seen\nsteps:\n${[
        step("photo", "/picture.png"),
        step("script", "/page.bin", ", read: bytes"),
        step("drawing", "/drawing.svg", ", read: bytes"),
        step("keyed", "/key.png", ", using: far-key"),
      ].join("\n")}\n`,
    );
    const started = await world.client.call(runsRoutes.startRun, { params: { name: "seen" }, body: {} });
    run = started.id;
    expect(await world.settled(run)).toMatchObject({ state: "succeeded", error: null });
    const { steps } = (await world.client.call(runsRoutes.runScope, { params: { id: run } })) as unknown as {
      steps: Record<string, { body: { file: string } }>;
    };
    files = Object.fromEntries(Object.entries(steps).map(([name, { body }]) => [name, body.file]));
  });
  afterAll(async () => {
    await browser.close();
    await Promise.all([world.close(), far.close()]);
  });
  const get = (
    file: string | undefined,
    { id = run, token = readFileSync(join(world.folder, "token"), "utf8") } = {},
  ) =>
    fetch(world.url + urlOf(filesRoutes.runFile, { params: { id, file: file ?? "" } }), {
      headers: token === "" ? {} : { Authorization: `Bearer ${token.trim()}` },
    });

  it("come as they are: a picture as one, all else as a download in which nothing runs", async () => {
    const picture = await get(files["photo"]);
    expect(Buffer.from(await picture.arrayBuffer())).toEqual(pixel);
    expect(Object.fromEntries(picture.headers)).toMatchObject({
      "content-type": "image/png",
      "content-disposition": "inline",
      "content-security-policy": "sandbox; default-src 'none'",
      "x-content-type-options": "nosniff",
      "cache-control": "no-store",
    });
    for (const [name, sent] of [
      ["script", "<script>alert(1)</script>"],
      ["drawing", "<svg onload='alert(1)'/>"],
    ] as const) {
      const response = await get(files[name]);
      expect(await response.text()).toBe(sent);
      expect(response.headers.get("content-type")).toBe("application/octet-stream");
      expect(response.headers.get("content-disposition")).toMatch(/^attachment; filename=/);
    }
  });

  it("are given to nobody without a token, not by the name of another run, and not where a secret shows", async () => {
    expect((await get(files["photo"], { token: "" })).status).toBe(401);
    const other = await world.client.call(runsRoutes.startRun, { params: { name: "seen" }, body: {} });
    await world.settled(other.id);
    expect((await get(files["photo"], { id: other.id })).status).toBe(404);
    expect((await get(files["photo"], { id: "nowhere" })).status).toBe(404);
    expect((await get("../../token")).status).toBe(404);
    const secret = await get(files["keyed"]);
    expect([secret.status, await secret.text()]).toEqual([403, expect.not.stringContaining("sk-far")]);
  });

  it("are shown on the run's page, and can be downloaded there", async () => {
    const { page, complaints } = await signIn(browser, world);
    await page.goto(`${world.url}/runs/${run}`);
    const steps = page.getByRole("list", { name: "Steps on a time axis" });
    await steps.getByText("photo", { exact: true }).click();
    const picture = page.getByRole("img", { name: "picture.png" });
    await picture.waitFor();
    await expect.poll(() => picture.evaluate((image: HTMLImageElement) => image.naturalWidth)).toBe(1);
    await steps.getByText("script", { exact: true }).click();
    const coming = page.waitForEvent("download");
    await page.getByRole("link", { name: "Download page.bin" }).click();
    expect((await coming).suggestedFilename()).toBe("page.bin");
    expect(complaints).toEqual([]);
    await steps.getByText("keyed", { exact: true }).click();
    await page.getByText("The picture is not shown: it is gone, or a secret shows in it.").waitFor();
  });

  it("say that they are damaged, with nothing of another file's headers, and the service goes on", async () => {
    const { steps } = (await world.client.call(runsRoutes.runScope, { params: { id: run } })) as unknown as {
      steps: Record<string, { body: { sha256: string } }>;
    };
    const digest = steps["photo"]?.body.sha256 ?? "";
    const kept = await readdir(join(world.folder, "blobs"), { recursive: true });
    const path = join(world.folder, "blobs", kept.find((name) => name.endsWith(digest)) ?? "");
    await writeFile(path, "another");
    const changed = await get(files["photo"]);
    expect(changed.status).toBe(507);
    expect(changed.headers.get("content-type")).toContain("application/problem+json");
    expect(changed.headers.get("content-disposition")).toBeNull();
    await rm(path);
    expect(await (await get(files["photo"])).json()).toMatchObject({
      status: 507,
      title: "The storage is damaged",
    });
    expect((await get(files["script"])).status).toBe(200);
  });
});
