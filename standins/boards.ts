import { createHmac, randomUUID } from "node:crypto";
import type { Express, NextFunction, Request, Response } from "express";
import { boardsResource, type Identity } from "./identity.js";
import { bearer, type Definition } from "./stand-in.js";
import { tokenGuard } from "./token-guard.js";

export const boardsToken = "bt-boards-91c0d3aa57";

/** What the deliveries of new posts are signed with. */
export const boardsHookSecret = "boards-tell-51c7d09be2";

interface Post {
  id: string;
  board: string;
  thread: string;
  /** Who wrote it: `robot`, `person`, or the person for whom a robot posts. */
  author: string;
  /** RFC 3339. */
  postedAt: string;
  content: unknown[];
  clientRef?: string;
}

/** Webhooks that have proved that they want to be told, by answering a challenge. */
const proved = new Set<string>();

const json = { "Content-Type": "application/json" };

/**
 * Tells a webhook of a post, by its ids only; signed by HMAC over the time and the body. A webhook that is new is asked first
 * whether it is meant: it has to give back a challenge.
 */
async function tell({ id, board, thread, author }: Post, webhook: string | null): Promise<void> {
  if (webhook === null) return;
  if (!proved.has(webhook)) {
    const challenge = randomUUID();
    const body = JSON.stringify({ challenge });
    const answer = await fetch(webhook, { method: "POST", headers: json, body }).catch(() => undefined);
    const said = (await answer?.json().catch(() => undefined)) as { challenge?: string } | undefined;
    if (said?.challenge !== challenge) return;
    proved.add(webhook);
  }
  const body = JSON.stringify({ post: id, board, thread, author });
  const time = Math.floor(Date.now() / 1_000);
  const signature = createHmac("sha256", boardsHookSecret).update(`${time}.${body}`).digest("hex");
  const headers = { ...json, "X-Boards-Signature": `t=${time},v1=${signature}` };
  await fetch(webhook, { method: "POST", headers, body }).catch(() => undefined);
}

/**
 * Message boards, one a hut. Throttled; a reference that the client gives (`clientRef`) makes a repeat harmless. Robots have a key
 * of their own; people come with a token of the authorization server.
 */
export function boards(identity?: Identity): Definition {
  let posts: Post[] = [];
  let membersOf: Record<string, string[]> = {};
  let recent: number[] = [];
  let refused = 0;
  const settings: { perSecond: number; webhook: string | null } = { perSecond: 5, webhook: null };
  const reset = (): void => {
    posts = [];
    membersOf = {};
    recent = [];
    refused = 0;
    settings.perSecond = 5;
  };

  const throttle = (_request: Request, response: Response, next: NextFunction): void => {
    const now = Date.now();
    recent = recent.filter((at) => at > now - 1_000);
    if (recent.length < settings.perSecond) {
      recent.push(now);
      return next();
    }
    // Real services say it either way, so both forms of RFC 9110 section 10.2.3 come in turn.
    const wait = refused++ % 2 === 0 ? "1" : new Date(Math.ceil((now + 1_000) / 1_000) * 1_000).toUTCString();
    response
      .status(429)
      .set("Retry-After", wait)
      .json({ error: "too-many-requests", message: `At most ${settings.perSecond} requests a second.` });
  };

  return {
    name: "boards",
    reset,
    settings,
    routes(app: Express) {
      const robots = bearer(() => boardsToken);
      const people = identity
        ? tokenGuard(identity, boardsResource, ({ method }) =>
            method === "GET" ? "boards:read" : "boards:write",
          )
        : robots;
      app.use((request, response, next) => {
        // A token of the authorization server is a JWT: three parts.
        const isToken = request.get("authorization")?.split(".").length === 3;
        return isToken ? people(request, response, next) : robots(request, response, next);
      }, throttle);
      app.get(
        "/boards/:board/posts",
        (request, response) =>
          void response.json({ items: posts.filter((post) => post.board === request.params.board) }),
      );
      app.get("/boards/:board/posts/:id", (request, response) => {
        const post = posts.find(
          ({ id, board }) => id === request.params.id && board === request.params.board,
        );
        if (post) response.json(post);
        else
          response
            .status(404)
            .json({ error: "no-such-post", message: `There is no post ${request.params.id}.` });
      });
      app.put("/boards/:board/members/:person", (request, response) => {
        const { board, person } = request.params;
        const members = (membersOf[board] ??= []);
        if (!members.includes(person)) members.push(person);
        response.json({ board, members });
      });
      app.post("/boards/:board/posts", (request, response) => {
        const body = (request.body ?? {}) as { content?: unknown; thread?: string; clientRef?: string };
        const repeated = body.clientRef ? posts.find((post) => post.clientRef === body.clientRef) : undefined;
        if (repeated) return void response.status(200).json(repeated);
        const fault = contentFault(body.content);
        if (fault)
          return void response.status(422).json({ error: "invalid", field: "content", message: fault });
        const id = `p-${posts.length + 1}`;
        const post: Post = {
          id,
          board: request.params.board,
          thread: body.thread ?? `t-${id}`,
          author: authorOf(request),
          postedAt: new Date().toISOString(),
          content: body.content as unknown[],
          ...(body.clientRef ? { clientRef: body.clientRef } : {}),
        };
        posts.push(post);
        response.status(201).json(post);
        void tell(post, settings.webhook);
      });
    },
  };
}

/** A robot may post for a person. */
function authorOf(request: Request): string {
  const isPerson = request.get("authorization")?.split(".").length === 3;
  return request.get("X-Post-As") ?? (isPerson ? "person" : "robot");
}

function contentFault(content: unknown): string | undefined {
  if (!Array.isArray(content) || content.length === 0)
    return "content must be a list with at least one entry.";
  const wrong = content.findIndex((entry) => {
    const item = entry as { text?: unknown; picture?: unknown };
    return typeof item?.text !== "string" && typeof item?.picture !== "string";
  });
  return wrong < 0 ? undefined : `Entry ${wrong} of content is neither { text } nor { picture }.`;
}
