export * from "./stand-in.js";
export { stays, staysKey } from "./stays.js";
export { boards, boardsToken } from "./boards.js";
