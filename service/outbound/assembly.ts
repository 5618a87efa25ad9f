import type { ApiStore } from "../store/apis.js";
import type { CredentialStore } from "../store/credentials.js";
import type { SettingStore } from "../store/settings.js";
import { addressRule, type AddressRule } from "./guard.js";
import { Networks } from "./networks.js";
import { HttpTransport } from "./transport.js";

/** What sends requests, as the service was started and as people have set the network. */
export function assembleOutbound(
  {
    allowAddresses,
    longestResponse,
    userAgent,
  }: { allowAddresses: string[]; longestResponse: number; userAgent: string },
  stores: { settings: SettingStore; apis: ApiStore; credentials: CredentialStore },
): { transport: HttpTransport; networks: Networks; rule: AddressRule } {
  const networks = new Networks(stores.settings, stores.apis, stores.credentials);
  const rule = addressRule(allowAddresses);
  const network = (url: URL) => networks.of(url);
  return { transport: new HttpTransport({ rule, network, longestResponse, userAgent }), networks, rule };
}
