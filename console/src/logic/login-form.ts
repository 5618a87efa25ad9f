import type { CredentialInput } from "@copper-kettle/contract";
import { linesOf, readLines } from "./form-parts.js";

export type LoginInput = Extract<CredentialInput, { kind: "login" }>["scheme"];

/** A login as it is typed. */
export interface LoginForm {
  request: string;
  headers: string;
  bodyKind: "json" | "form" | "text" | "none";
  body: string;
  /** Where the token is: an expression over the response, or a cookie. */
  from: "token" | "cookie";
  token: string;
  attachTo: "bearer" | "header" | "query" | "cookie";
  attachName: string;
  attachValue: string;
  success: string;
  lives: string;
  refused: string;
  renew: string;
  /** Of the request that renews, what the form does not show: left as it is. */
  restOfRenew: object;
}

/** The secrets that most logins want. */
export function loginSecrets(): { name: string; secret: string }[] {
  return ["user", "password"].map((name) => ({ name, secret: "" }));
}

export function emptyLogin(): LoginForm {
  return {
    request: "",
    headers: "",
    bodyKind: "json",
    body: '{ "user": "${secret.user}", "password": "${secret.password}" }',
    from: "token",
    token: "body.token",
    attachTo: "bearer",
    attachName: "",
    attachValue: "${token}",
    success: "",
    lives: "",
    refused: "",
    renew: "",
    restOfRenew: {},
  };
}

/** The form of a login that is there. */
export function loginFormOf(scheme: LoginInput): LoginForm {
  const { request, headers = {}, body = {}, attach = {}, renew } = scheme;
  const bodyKind = (["json", "form", "text"] as const).find((kind) => body[kind] !== undefined) ?? "none";
  const place = (["header", "query", "cookie"] as const).find((one) => attach[one] !== undefined);
  const isText = bodyKind === "text";
  const { request: renewed = "", ...restOfRenew } = renew ?? {};
  return {
    ...emptyLogin(),
    request,
    headers: linesOf(headers, ": "),
    bodyKind,
    body: bodyKind === "none" ? "" : isText ? (body.text ?? "") : JSON.stringify(body[bodyKind], null, 2),
    from: scheme.cookie === undefined ? "token" : "cookie",
    token: scheme.token ?? scheme.cookie ?? "",
    attachTo: place ?? (scheme.cookie === undefined ? "bearer" : "cookie"),
    attachName: (place ? attach[place] : scheme.cookie) ?? "",
    attachValue: attach.value ?? (place || scheme.cookie !== undefined ? "${token}" : "Bearer ${token}"),
    success: scheme.success ?? "",
    lives: scheme.lives ?? "",
    refused: scheme.refused ?? "",
    renew: renewed,
    restOfRenew,
  };
}

/** What the form stands for, and a fault for each field that cannot be read. */
export function readLogin(form: LoginForm, faults: Record<string, string>): LoginInput {
  const typed = (field: "success" | "lives" | "refused") =>
    form[field].trim() === "" ? {} : { [field]: form[field].trim() };
  const headers = readLines(form.headers, ":", "scheme.headers", faults);
  return {
    request: form.request.trim(),
    ...(Object.keys(headers).length > 0 ? { headers } : {}),
    ...(form.bodyKind === "none" ? {} : { body: { [form.bodyKind]: bodyOf(form, faults) } }),
    [form.from]: form.token.trim(),
    ...(form.attachTo === "bearer"
      ? {}
      : { attach: { [form.attachTo]: form.attachName.trim(), value: form.attachValue } }),
    ...typed("success"),
    ...typed("lives"),
    ...typed("refused"),
    ...(form.renew.trim() === "" ? {} : { renew: { ...form.restOfRenew, request: form.renew.trim() } }),
  };
}

function bodyOf({ bodyKind, body }: LoginForm, faults: Record<string, string>): unknown {
  if (bodyKind === "text") return body;
  try {
    return JSON.parse(body) as unknown;
  } catch (error) {
    faults["scheme.body"] = `This is not JSON: ${(error as Error).message}`;
    return {};
  }
}
