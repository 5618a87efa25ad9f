import { printJson, readBody, type BodyReading } from "@copper-kettle/core";
import { parentPort } from "node:worker_threads";
import type { AsideAnswer, AsideRequest } from "./aside.js";

parentPort?.on("message", ({ number, response, as }: AsideRequest) => {
  const json = printJson(readBody(response, as as BodyReading | undefined));
  parentPort?.postMessage({ number, json } satisfies AsideAnswer);
});
