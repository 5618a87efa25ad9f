import { credentialsRoutes, Unreachable } from "@copper-kettle/contract";
import { watch } from "vue";
import type { Router } from "vue-router";
import { api, sentence, shared } from "../api.js";
import { followService } from "./live.js";

/** Set while no page was shown since all was read anew: what cannot be read at all would be read for ever. */
const triedKey = "copper-kettle-code-tried";

/**
 * The code of a page is read when it is first opened: while the service is away that fails, and is done when it is back.
 * What cannot be read though the service is there is read once more, and then said to be so.
 */
export function readCodeAgain(router: Router): void {
  let wanted: string | undefined;
  router.onError((_error, to) => {
    wanted = to.fullPath;
    shared.awaySince ??= Date.now();
    followService();
    // It may be back already, or never have been away: nobody would say so then.
    const isThere = (): void => void (shared.awaySince = undefined);
    void api.call(credentialsRoutes.redirectUri).then(isThere, (error: unknown) => {
      sentence(error);
      if (!(error instanceof Unreachable)) isThere();
    });
  });
  router.afterEach(() => {
    [wanted, shared.unread] = [undefined, false];
    sessionStorage.removeItem(triedKey);
  });
  watch(
    () => shared.awaySince,
    (since) => {
      if (since !== undefined || wanted === undefined) return;
      if (sessionStorage.getItem(triedKey) !== null) return void (shared.unread = true);
      sessionStorage.setItem(triedKey, "yes");
      // An upgrade may have replaced that code: the whole page is read anew.
      window.location.assign(wanted);
    },
  );
}
