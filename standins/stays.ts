import type { Express } from "express";
import { randomUUID } from "node:crypto";
import { Webhook } from "standardwebhooks";
import { bearer, type Definition } from "./stand-in.js";

export const staysKey = "sk-stays-4b7e1f20c9";

/** What the deliveries of booked stays are signed with (Standard Webhooks). */
export const staysHookSecret = "whsec_c3RheXMgdGVsbCB3aGF0IHdhcyBib29rZWQ=";

/** How deliveries misbehave: sent twice, signed long ago, signed with another secret, or changed behind the signature. */
type Misbehaviour = "twice" | "late" | "wrong" | "changed";

/** Tells a webhook of a stay, as its settings say; what comes back does not matter to the booking. */
async function tell(
  stay: Stay,
  { webhook, misbehave }: { webhook: string | null; misbehave: Misbehaviour | null },
): Promise<void> {
  if (webhook === null) return;
  const id = `msg_${randomUUID()}`;
  const at = new Date(misbehave === "late" ? Date.now() - 3_600_000 : Date.now());
  const body = JSON.stringify({ type: "stay.booked", timestamp: at.toISOString(), data: stay });
  const secret = misbehave === "wrong" ? `whsec_${Buffer.alloc(24, 1).toString("base64")}` : staysHookSecret;
  const headers = {
    "Content-Type": "application/json",
    "webhook-id": id,
    "webhook-timestamp": String(Math.floor(at.getTime() / 1_000)),
    "webhook-signature": new Webhook(secret).sign(id, at, body),
  };
  const sent = misbehave === "changed" ? body.replace('"nights":', '"nights":1') : body;
  for (let times = misbehave === "twice" ? 2 : 1; times > 0; times--)
    await fetch(webhook, { method: "POST", headers, body: sent }).catch(() => undefined);
}

interface Guest {
  id: string;
  email: string;
  since: string;
}

interface Stay {
  id: string;
  guestId: string;
  hut: string;
  nights: number;
  state: "booked" | "cancelled";
}

const huts = [
  "ashlar",
  "brackenshaw",
  "corrie",
  "dunmoor",
  "eyrie",
  "foxglove",
  "gannet-rock",
  "hollin",
  "ibex-step",
  "juniper",
  "kestrel",
  "langmere-end",
];

/** Bookings at the huts: guests by e-mail, and their stays. */
export function stays(): Definition {
  let guests: Guest[] = [];
  let booked: Stay[] = [];
  let byKey = new Map<string, { status: number; body: unknown }>();
  const settings: { webhook: string | null; misbehave: Misbehaviour | null } = {
    webhook: null,
    misbehave: null,
  };
  const reset = (): void => {
    byKey = new Map();
    settings.misbehave = null;
    guests = [
      { id: "g-1", email: "odd@huts.example", since: "2024-06-01" },
      { id: "g-2", email: "sanna@huts.example", since: "2025-02-14" },
    ];
    booked = huts.map((hut, index) => ({
      id: `s-${index + 1}`,
      guestId: `g-${(index % 2) + 1}`,
      hut,
      nights: (index % 3) + 1,
      state: "booked",
    }));
  };
  reset();

  return {
    name: "stays",
    reset,
    settings,
    routes(app: Express) {
      app.use(bearer(() => staysKey));
      app.get("/guests", (request, response) => {
        const email = request.query["email"];
        response.json({
          items:
            email === undefined
              ? guests
              : guests.filter((guest) => guest.email.toLowerCase() === String(email).toLowerCase()),
        });
      });
      app.get("/guests/:id", (request, response) => {
        const guest = guests.find((item) => item.id === request.params.id);
        if (guest) response.json(guest);
        else
          response
            .status(404)
            .json({ error: "no-such-guest", message: `There is no guest ${request.params.id}.` });
      });
      app.post("/guests", (request, response) => {
        const key = request.get("Idempotency-Key");
        const known = key ? byKey.get(key) : undefined;
        if (known) return void response.status(known.status).json(known.body);
        const email = (request.body as { email?: unknown } | undefined)?.email;
        if (typeof email !== "string" || !email.includes("@")) {
          return void response
            .status(422)
            .json({ error: "invalid", field: "email", message: "email must be an e-mail address." });
        }
        const guest: Guest = {
          id: `g-${guests.length + 1}`,
          email,
          since: new Date().toISOString().slice(0, 10),
        };
        guests.push(guest);
        if (key) byKey.set(key, { status: 201, body: guest });
        response.status(201).json(guest);
      });
      app.get(
        "/huts",
        (_request, response) => void response.json({ items: huts.map((id) => ({ id, name: titled(id) })) }),
      );
      app.get("/stays", (request, response) => {
        const start = Number(request.query["cursor"] ?? 0);
        const size = Number(request.query["size"] ?? 5);
        const matching = booked.filter(
          (stay) => request.query["hut"] === undefined || stay.hut === request.query["hut"],
        );
        const next = start + size < matching.length ? String(start + size) : null;
        response.json({ items: matching.slice(start, start + size), next });
      });
      app.post("/stays", (request, response) => {
        const { guestId, hut, nights } = (request.body ?? {}) as Partial<Stay>;
        if (!guests.some((guest) => guest.id === guestId))
          return void response
            .status(422)
            .json({ error: "invalid", field: "guestId", message: "There is no such guest." });
        if (!huts.includes(hut ?? ""))
          return void response
            .status(422)
            .json({ error: "invalid", field: "hut", message: "There is no such hut." });
        const stay: Stay = {
          id: `s-${booked.length + 1}`,
          guestId: guestId as string,
          hut: hut as string,
          nights: nights ?? 1,
          state: "booked",
        };
        booked.push(stay);
        response.status(201).json(stay);
        void tell(stay, settings);
      });
      app.post("/stays/:id/cancel", (request, response) => {
        const stay = booked.find((item) => item.id === request.params.id);
        if (!stay)
          return void response
            .status(404)
            .json({ error: "no-such-stay", message: `There is no stay ${request.params.id}.` });
        stay.state = "cancelled";
        response.json(stay);
      });
    },
  };
}

function titled(id: string): string {
  return id
    .split("-")
    .map((word) => (word[0] as string).toUpperCase() + word.slice(1))
    .join(" ");
}
