export * from "./stand-in.js";
export { stays, staysKey } from "./stays.js";
export { boards, boardsToken } from "./boards.js";
export { depot, depotPassword, depotUser } from "./depot.js";
export { stores, storesAppId, storesAppKey } from "./stores.js";
export { tanks, tanksSecret, tanksToken } from "./tanks.js";
export { trails, trailsKey } from "./trails.js";
