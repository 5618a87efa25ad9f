import { parentPort, workerData } from "node:worker_threads";
import { readDocument, type DocumentToRead } from "./read.js";

// One document a thread: what it needed goes with it.
readDocument(workerData as DocumentToRead).then(
  (read) => parentPort?.postMessage({ read }),
  (error: Error) => parentPort?.postMessage({ fault: { name: error.name, message: error.message } }),
);
