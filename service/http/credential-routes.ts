import { routes, type BodyOf } from "@copper-kettle/contract";
import {
  buildRequest,
  checkScheme,
  cleanSecret,
  CredentialMissing,
  exchange,
  explainRefusal,
  RequestRefused,
  SchemeFault,
  secretFault,
  type Credential,
  type ShownPart,
} from "@copper-kettle/core";
import type { Express } from "express";
import { newNonce } from "../runs/ids.js";
import type { CredentialRow } from "../store/models.js";
import type { Context } from "./context.js";
import { HttpProblem, notFound } from "./problems.js";
import { serve } from "./serve-route.js";
import { credentialView } from "./views.js";

const checkTimeout = { connect: 5_000, answer: 15_000 };

export function serveCredentials(app: Express, context: Context): void {
  const { credentials, workflows, sealing } = context;

  const users = async (): Promise<Map<string, string[]>> => {
    const found = new Map<string, string[]>();
    for (const row of await workflows.all()) {
      for (const name of usedCredentials(await workflows.text(row.draft)))
        found.set(name, [...(found.get(name) ?? []), row.name]);
    }
    return found;
  };
  const view = async (row: CredentialRow) =>
    credentialView(row, credentials.lastUsed(row), (await users()).get(row.name) ?? []);

  serve(app, routes.listCredentials, async () => ({
    credentials: await Promise.all((await credentials.all()).map(view)),
  }));
  serve(app, routes.putCredential, async ({ params, body }) => {
    const removed = new Set<string>();
    const row = await credentials.put(params.name, readInput(body, removed), body.hosts);
    return { credential: await view(row), removed: [...removed] };
  });
  serve(app, routes.removeCredential, async ({ params }) => {
    if (!(await credentials.remove(params.name))) throw notFound("credential", params.name);
  });
  serve(app, routes.checkCredential, async ({ params, body }) => check(context, params.name, body));
  serve(app, routes.rotateKey, async () => ({ dataKeys: await sealing.rotate() }));
}

/** The credential that a person gave, its secrets cleaned of what was pasted along. */
function readInput(body: BodyOf<typeof routes.putCredential>, removed: Set<string>): Credential {
  const cleaned = (secret: string, prefix: string, field: string): string => {
    const clean = cleanSecret(secret, prefix);
    const fault = secretFault(clean.secret);
    if (fault)
      throw new HttpProblem(422, "bad-secret", "This cannot be the secret", fault, {
        errors: [{ field, message: fault }],
      });
    for (const what of clean.removed) removed.add(what);
    return clean.secret;
  };
  switch (body.kind) {
    case "bearer":
      return { kind: "bearer", token: cleaned(body.token, "Bearer ", "token") };
    case "basic":
    case "digest": {
      if (body.kind === "basic" && body.user.includes(":")) {
        const fault = "A user name for Basic cannot hold a colon (RFC 7617).";
        throw new HttpProblem(422, "bad-secret", "This cannot be the user", fault, {
          errors: [{ field: "user", message: fault }],
        });
      }
      // A password is taken as it is: spaces and quotes may be part of it; only a line end at its end is not.
      const password = body.password.replace(/[\r\n]+$/, "");
      if (password === "")
        throw new HttpProblem(422, "bad-secret", "There is no password", "The password is empty.", {
          errors: [{ field: "password", message: "is empty" }],
        });
      return { kind: body.kind, user: body.user.trim(), password };
    }
    case "api-key":
      return {
        kind: "api-key",
        parts: body.parts.map((part, index) => ({
          ...part,
          secret: cleaned(part.secret, part.prefix, `parts.${index}.secret`),
        })),
      };
    case "signed": {
      const secrets = Object.fromEntries(
        Object.entries(body.secrets).map(([name, secret]) => [name, cleaned(secret, "", `secrets.${name}`)]),
      );
      try {
        checkScheme(body.scheme, Object.keys(secrets));
      } catch (error) {
        if (!(error instanceof SchemeFault)) throw error;
        throw new HttpProblem(422, "bad-scheme", "The signing scheme does not work", error.message, {
          errors: [{ field: `scheme.${error.field}`, message: error.message }],
        });
      }
      return { kind: "signed", secrets, scheme: body.scheme };
    }
  }
}

/** Makes one reading call with a credential, and says what came back. */
async function check(context: Context, name: string, { url, method }: { url: string; method: string }) {
  const { credentials, transport } = context;
  const began = Date.now();
  const result = (
    code: string,
    sentence: string,
    more: { status?: number; sent?: { place: string; name: string; value: string }[] } = {},
  ) => ({
    ok: code === "accepted",
    code,
    sentence: credentials.masks.text(sentence),
    status: more.status ?? null,
    took: Date.now() - began,
    sent: more.sent ?? [],
  });
  try {
    const request = buildRequest({ method, url });
    const credential = await credentials.read(name, url);
    const ports = {
      clock: { now: () => Date.now(), wait: () => Promise.resolve() },
      nonce: newNonce,
      transport,
      files: { keep: async (bytes: Uint8Array) => ({ size: bytes.length }) },
    };
    const done = await exchange(ports, request, credential, {
      timeout: checkTimeout,
      signal: new AbortController().signal,
      follow: true,
    });
    const answer = done.response as NonNullable<typeof done.response>;
    const { code, sentence } = explainRefusal(
      credential,
      answer,
      Date.now(),
      done.authorization as ShownPart[],
    );
    return result(code, sentence, { status: answer.status, sent: done.authorization });
  } catch (error) {
    if (error instanceof CredentialMissing && !(await credentials.all()).some((row) => row.name === name))
      throw notFound("credential", name);
    if (error instanceof RequestRefused) return result(error.code, error.message);
    if (error instanceof CredentialMissing) return result("not-for-this-host", error.message);
    if (error instanceof SchemeFault) return result("bad-scheme", error.message);
    if ((error as Error).name === "TransportFailure") return result("no-answer", (error as Error).message);
    throw error;
  }
}

/** The credentials that a file names, also while it has problems. */
function usedCredentials(text: string): Set<string> {
  return new Set(
    [...text.matchAll(/\busing:\s*["']?([a-z0-9][a-z0-9-]*)/g)].map((match) => match[1] as string),
  );
}
