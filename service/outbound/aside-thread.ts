import { printJson, readBody } from "@copper-kettle/core";
import { parentPort } from "node:worker_threads";
import type { AsideAnswer, AsideRequest } from "./aside.js";

parentPort?.on("message", ({ number, response, as }: AsideRequest) => {
  const json = printJson(readBody(response, as));
  parentPort?.postMessage({ number, json } satisfies AsideAnswer);
});
