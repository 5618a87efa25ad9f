import { routes, type CredentialDetail, type CredentialInput } from "@copper-kettle/contract";
import {
  boards,
  boardsClient,
  identity,
  ledger,
  ledgerMachine,
  ledgerOffice,
  ledgerResource,
  staff,
  staffClient,
  staffResource,
  startStandIn,
  type StandIn,
} from "@copper-kettle/standins";
import { settings, until, World } from "./kit.js";

/** A service with the authorization server and the APIs that trust it. */
export class OAuthWorld {
  private constructor(
    readonly world: World,
    readonly identity: StandIn,
    readonly staff: StandIn,
    readonly boards: StandIn,
    readonly ledger: StandIn,
  ) {}

  static async start(env: Record<string, string> = {}): Promise<OAuthWorld> {
    const server = identity();
    const standIns = (await Promise.all(
      [server, staff(server), boards(server), ledger(server)].map((definition) => startStandIn(definition)),
    )) as [StandIn, StandIn, StandIn, StandIn];
    const world = await World.start({
      demo: false,
      env: { COPPER_KETTLE_ALLOW_ADDRESSES: "127.0.0.1", ...env },
    });
    const it = new OAuthWorld(world, ...standIns);
    for (const { name, url } of standIns)
      await world.client.call(routes.putConstant, { params: { name }, body: { value: url } });
    await it.registerRedirectUri();
    return it;
  }

  /** The administrator on the API registers our redirect URI. */
  async registerRedirectUri(): Promise<void> {
    const { redirectUri } = await this.world.client.call(routes.redirectUri);
    await settings(this.identity, { redirectUris: [redirectUri] });
  }

  async close(): Promise<void> {
    await this.world.close();
    await Promise.all([this.identity, this.staff, this.boards, this.ledger].map((one) => one.close()));
  }

  put(name: string, body: CredentialInput) {
    return this.world.client.call(routes.putCredential, { params: { name }, body });
  }

  check(name: string, url?: string) {
    return this.world.client.call(routes.checkCredential, { params: { name }, body: { url } });
  }

  detail(name: string): Promise<CredentialDetail> {
    return this.world.client.call(routes.credential, { params: { name } });
  }

  /** The credential for staff: client credentials with scopes and an audience. */
  staffInput(more: object = {}): CredentialInput {
    return {
      kind: "oauth2",
      grant: "client-credentials",
      issuer: this.identity.url,
      clientId: staffClient.id,
      clientSecret: staffClient.secret,
      scopes: ["staff:read", "staff:write"],
      audience: staffResource,
      ...more,
    } as CredentialInput;
  }

  /** The credential for boards: a person signs in. */
  boardsInput(more: object = {}): CredentialInput {
    return this.staffInput({
      grant: "authorization-code",
      clientId: boardsClient.id,
      clientSecret: boardsClient.secret,
      scopes: ["openid", "boards:read", "boards:write"],
      audience: undefined,
      ...more,
    });
  }

  /** The credential for the ledger: a user's password. */
  officeInput(more: object = {}): CredentialInput {
    return this.staffInput({
      grant: "password",
      clientId: ledgerOffice.id,
      clientSecret: ledgerOffice.secret,
      user: ledgerOffice.user,
      password: ledgerOffice.password,
      scopes: ["ledger:read"],
      audience: undefined,
      ...more,
    });
  }

  /** The credential for the ledger that proves itself with a key. */
  machineInput(more: object): CredentialInput {
    return this.staffInput({
      clientId: ledgerMachine.id,
      clientSecret: undefined,
      clientAuth: "private_key_jwt",
      scopes: ["ledger:read"],
      audience: ledgerResource,
      ...more,
    });
  }

  /** Publishes a workflow that makes one reading call and answers with its body. */
  async caller(name: string, credential: string, url: string): Promise<string> {
    return this.world.publish(
      `copper-kettle: 1\nname: ${name}\nsteps:\n  - { step: a, request: "GET ${url}", using: ${credential} }\n  - { step: reply, respond: { body: "\${steps.a.body}" } }\n`,
    );
  }

  /** Signs in as a person would, page by page, and gives what the last page says. */
  async signIn(name: string, answer: "allow" | "refuse" = "allow"): Promise<string> {
    const { url } = await this.world.client.call(routes.signInCredential, { params: { name } });
    return signInAt(url, answer);
  }

  async tokenRequests(): Promise<Record<string, string>[]> {
    const { requests } = (await (await fetch(`${this.identity.url}/_control/requests`)).json()) as {
      requests: { path: string; body: Record<string, string> }[];
    };
    return requests.filter(({ path }) => path === "/token").map(({ body }) => body);
  }

  revoke(): Promise<unknown> {
    return fetch(`${this.identity.url}/_control/revoke`, { method: "POST" });
  }

  async becomes(name: string, state: CredentialDetail["state"]): Promise<CredentialDetail> {
    let detail: CredentialDetail | undefined;
    await until(async () => {
      detail = await this.detail(name);
      return detail.state === state;
    }, `credential ${name} is ${state}`);
    return detail as CredentialDetail;
  }
}

/** A browser without pictures: follows redirects with its cookies, and answers the form. */
export async function signInAt(start: string, answer: "allow" | "refuse"): Promise<string> {
  const cookies = new Map<string, string>();
  let url = start;
  let init: RequestInit = {};
  for (let hops = 0; hops < 12; hops++) {
    const response = await fetch(url, {
      ...init,
      redirect: "manual",
      headers: {
        ...(init.headers as Record<string, string>),
        Accept: "text/html",
        Cookie: [...cookies].map(([name, value]) => `${name}=${value}`).join("; "),
      },
    });
    for (const line of response.headers.getSetCookie()) {
      const [name = "", value = ""] = (line.split(";")[0] ?? "").split("=");
      cookies.set(name, value);
    }
    init = {};
    const location = response.headers.get("location");
    const text = await response.text();
    if (location) url = new URL(location, url).href;
    else if (text.includes('name="answer"')) {
      init = {
        method: "POST",
        headers: { "Content-Type": "application/x-www-form-urlencoded" },
        body: `who=marit&answer=${answer}`,
      };
    } else return text;
  }
  throw new Error("The sign-in goes round in circles.");
}
