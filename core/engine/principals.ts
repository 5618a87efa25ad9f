/**
 * Who acts: a person, a program with an access token, the service by itself, or a run. Two of different kinds are never
 * the same, whatever they are called.
 */
export interface Principal {
  kind: "person" | "token" | "service" | "run";
  /** A token's name, a run's id; of the service: "service". */
  id: string;
}

/** The service, when it does something by itself. */
export const itself: Principal = { kind: "service", id: "service" };

const written = /^(person|token|run):([\s\S]+)$/;

/** A principal as a text, in records: `token:ines`, `run:01jd…`, `service`. */
export function printPrincipal({ kind, id }: Principal): string {
  return kind === "service" ? kind : `${kind}:${id}`;
}

/** The principal of a text; undefined if it is none. */
export function readPrincipal(text: string): Principal | undefined {
  if (text === printPrincipal(itself)) return itself;
  const [, kind, id] = written.exec(text) ?? [];
  return kind && id ? { kind: kind as Principal["kind"], id } : undefined;
}

/** A principal for people: `ines`, `run 01jd…`. A text from before there were principals stays as it is. */
export function principalName(text: string): string {
  const principal = readPrincipal(text);
  if (!principal) return text;
  return principal.kind === "run" ? `run ${principal.id}` : principal.id;
}
