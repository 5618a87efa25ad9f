import { createClient, ProblemError, Unreachable } from "@copper-kettle/contract";
import { reactive } from "vue";

/** The service's API, with the console's session. */
export const api = createClient({
  baseUrl: "",
  fetch: async (input, init) => {
    const response = await fetch(input, { ...init, credentials: "same-origin" });
    if (response.ok) shared.wasIn = true;
    return response;
  },
});

/** What every page may want to know. */
export const shared = reactive({
  signedIn: true,
  /** Why nobody is signed in any more, where somebody was: the session came to its end, or they signed out. */
  ended: undefined as "over" | "out" | undefined,
  /** Whether anybody was signed in since this page was opened. */
  wasIn: false,
  /** Since when the service does not respond, in milliseconds since 1970. */
  awaySince: undefined as number | undefined,
  /** Whether the code of the page cannot be read, though the service is there. */
  unread: false,
});

/** A sentence for people about something that went wrong; also notes that the session is over. */
export function sentence(error: unknown): string {
  if (error instanceof ProblemError) {
    if (error.problem.status === 401) {
      if (shared.wasIn) shared.ended ??= "over";
      shared.signedIn = false;
    }
    return error.problem.detail ?? error.problem.title;
  }
  if (error instanceof Unreachable)
    return "The service does not respond. It may have been stopped. What you typed is still here.";
  return String((error as Error).message ?? error);
}

/** The message for each field that a problem names. */
export function fieldMessages(error: unknown): Record<string, string> {
  if (!(error instanceof ProblemError)) return {};
  return Object.fromEntries(
    (error.problem.errors ?? []).map(({ field, message }) => [field.replace(/^inputs\./, ""), message]),
  );
}

/** Whether a draft was refused since somebody else changed it meanwhile. */
export function isConflict(error: unknown): boolean {
  return error instanceof ProblemError && error.problem.type.endsWith(":draft-conflict");
}
