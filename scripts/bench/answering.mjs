import { createServer } from "node:http";

// The far side of a benchmark: answers every request with the same small JSON.
const body = JSON.stringify({ items: [{ id: "g-1", email: "odd@huts.example" }], next: null });
const server = createServer((request, response) => {
  request.resume();
  response.writeHead(200, { "Content-Type": "application/json", "Content-Length": body.length });
  response.end(body);
});
server.listen(0, "127.0.0.1", () => process.stdout.write(`http://127.0.0.1:${server.address().port}\n`));
process.stdin.on("end", () => process.exit(0)).resume();
