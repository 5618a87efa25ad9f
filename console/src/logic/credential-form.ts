import type { BodyInputOf, routes } from "@copper-kettle/contract";

export type CredentialInput = BodyInputOf<typeof routes.putCredential>;
export type CredentialKind = CredentialInput["kind"];

export const kinds: { value: CredentialKind; title: string; help: string }[] = [
  {
    value: "bearer",
    title: "bearer – a token in the header Authorization",
    help: "Paste the token alone; the word Bearer is put before it.",
  },
  { value: "basic", title: "basic – user and password", help: "Sent with each call, in Base64 (RFC 7617)." },
  {
    value: "digest",
    title: "digest – user and password, never sent themselves",
    help: "Answers the other side's challenge (RFC 7616).",
  },
  {
    value: "api-key",
    title: "api-key – one or more keys, each with its place",
    help: "In a header, the query, a cookie, the path ({name} in the URL) or a field of the body.",
  },
  {
    value: "signed",
    title: "signed – a signature computed for each call",
    help: "The scheme says what is signed and which headers are set.",
  },
];

/** What is typed into the form; only what the kind needs is sent. */
export interface CredentialForm {
  name: string;
  kind: CredentialKind;
  token: string;
  user: string;
  password: string;
  parts: {
    place: "header" | "query" | "cookie" | "path" | "body";
    name: string;
    prefix: string;
    secret: string;
  }[];
  secrets: { name: string; secret: string }[];
  scheme: { base: string; signature: string; headers: string };
  hosts: string;
}

export function emptyForm(): CredentialForm {
  return {
    name: "",
    kind: "bearer",
    token: "",
    user: "",
    password: "",
    parts: [{ place: "header", name: "X-Api-Key", prefix: "", secret: "" }],
    secrets: [{ name: "key", secret: "" }],
    scheme: {
      base: "${request.method}\n${request.path}\n${time.seconds}\n${nonce}",
      signature: "base64.encode(hmacSha256(secret.key, base))",
      headers: "X-Time: ${time.seconds}\nX-Nonce: ${nonce}\nX-Signature: ${signature}",
    },
    hosts: "",
  };
}

/** What the form stands for. A fault for a line that is no header. */
export function readCredential(form: CredentialForm): {
  input: CredentialInput;
  faults: Record<string, string>;
} {
  const hosts = form.hosts.split(/[\s,]+/).filter(Boolean);
  const faults: Record<string, string> = {};
  switch (form.kind) {
    case "bearer":
      return { input: { kind: "bearer", token: form.token, hosts }, faults };
    case "basic":
    case "digest":
      return { input: { kind: form.kind, user: form.user, password: form.password, hosts }, faults };
    case "api-key":
      return {
        input: {
          kind: "api-key",
          parts: form.parts.map((part) => ({
            ...part,
            prefix: part.prefix === "" ? "" : `${part.prefix.trim()} `,
          })),
          hosts,
        },
        faults,
      };
    case "signed": {
      const headers: Record<string, string> = {};
      for (const line of form.scheme.headers.split("\n").filter((text) => text.trim() !== "")) {
        const match = /^\s*([\w-]+)\s*:\s*(.*)$/.exec(line);
        if (match) headers[match[1] as string] = match[2] as string;
        else faults["scheme.headers"] = `"${line}" is no header; write Name: value.`;
      }
      const secrets = Object.fromEntries(
        form.secrets.filter(({ name }) => name !== "").map(({ name, secret }) => [name, secret]),
      );
      return {
        input: {
          kind: "signed",
          secrets,
          scheme: { base: form.scheme.base, signature: form.scheme.signature, headers },
          hosts,
        },
        faults,
      };
    }
  }
}
