/** Stands for a secret in a printed command; the shell puts it in from its environment. */
export const secretVariable = "$SECRET";

/** A request as a `curl` command, for the POSIX shell; secrets stand as {@link secretVariable}. */
export function printCurl(request: {
  method: string;
  url: string;
  headers: [string, string][];
  body?: string | undefined;
}): string {
  const quote = (text: string) =>
    text.includes(secretVariable)
      ? `"${text
          .split(secretVariable)
          .map((part) => part.replace(/[\\"$`]/g, "\\$&"))
          .join(secretVariable)}"`
      : `'${text.replaceAll("'", `'"'"'`)}'`;
  const lines = [`curl ${request.method === "GET" ? "" : `-X ${request.method} `}${quote(request.url)}`];
  for (const [name, value] of request.headers) lines.push(`-H ${quote(`${name}: ${value}`)}`);
  if (request.body !== undefined) lines.push(`--data-raw ${quote(request.body)}`);
  return lines.join(" \\\n  ");
}
