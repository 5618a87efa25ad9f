/** Reason phrases of RFC 9110 section 15, RFC 6585, RFC 4918 section 11.3 (423) and RFC 8470 section 5.2 (425). */
const reasons: Record<number, string> = {
  400: "Bad Request",
  401: "Unauthorized",
  402: "Payment Required",
  403: "Forbidden",
  404: "Not Found",
  405: "Method Not Allowed",
  406: "Not Acceptable",
  408: "Request Timeout",
  409: "Conflict",
  410: "Gone",
  411: "Length Required",
  412: "Precondition Failed",
  413: "Content Too Large",
  414: "URI Too Long",
  415: "Unsupported Media Type",
  422: "Unprocessable Content",
  423: "Locked",
  425: "Too Early",
  428: "Precondition Required",
  429: "Too Many Requests",
  431: "Request Header Fields Too Large",
  500: "Internal Server Error",
  501: "Not Implemented",
  502: "Bad Gateway",
  503: "Service Unavailable",
  504: "Gateway Timeout",
};

/** ` (Not Found)` for 404; nothing for a status without a known reason. */
export function statusText(status: number): string {
  const reason = reasons[status];
  return reason ? ` (${reason})` : "";
}
