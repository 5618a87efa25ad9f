import { createServer } from "node:http";
import { largeResponse } from "./large-response.mjs";

// The API of a benchmark: answers every request with the same small JSON.
const body = JSON.stringify({ items: [{ id: "g-1", email: "odd@huts.example" }], next: null });
const large = JSON.stringify(largeResponse());
let tokens = 0;
let guests = 0;
const server = createServer((request, response) => {
  request.resume();
  // A token endpoint that counts; its first token is refused by everything else.
  if (request.url === "/token" || request.url === "/tokens") {
    if (request.method === "POST") tokens++;
    const answer =
      request.method === "POST" ? { access_token: `token-number-${tokens}`, expires_in: 600 } : { tokens };
    response.writeHead(200, { "Content-Type": "application/json" });
    return response.end(JSON.stringify(answer));
  }
  if (request.url === "/count") {
    response.writeHead(200, { "Content-Type": "application/json" });
    return response.end(JSON.stringify({ guests }));
  }
  guests++;
  if (request.headers.authorization === "Bearer token-number-1") return response.writeHead(401).end();
  const answer = request.url === "/large" ? large : body;
  response.writeHead(200, { "Content-Type": "application/json", "Content-Length": answer.length });
  response.end(answer);
});
server.listen(0, "127.0.0.1", () => process.stdout.write(`http://127.0.0.1:${server.address().port}\n`));
process.stdin.on("end", () => process.exit(0)).resume();
