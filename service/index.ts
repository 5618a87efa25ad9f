export { readConfig, type Config } from "./config.js";
export { startService, version, type Service } from "./service.js";
