import type { Express, NextFunction, Request, Response } from "express";
import { boardsResource, type Identity } from "./identity.js";
import { bearer, type Definition } from "./stand-in.js";
import { tokenGuard } from "./token-guard.js";

export const boardsToken = "bt-boards-91c0d3aa57";

interface Post {
  id: string;
  board: string;
  thread: string;
  content: unknown[];
  clientRef?: string;
}

/**
 * Message boards, one a hut. Throttled; a reference that the client gives (`clientRef`) makes a repeat harmless. Robots have a key
 * of their own; people come with a token of the authorization server.
 */
export function boards(identity?: Identity): Definition {
  let posts: Post[] = [];
  let recent: number[] = [];
  let refused = 0;
  const settings = { perSecond: 5 };
  const reset = (): void => {
    posts = [];
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
          content: body.content as unknown[],
          ...(body.clientRef ? { clientRef: body.clientRef } : {}),
        };
        posts.push(post);
        response.status(201).json(post);
      });
    },
  };
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
