/** Fields that a workflow's response may not have: they would speak for the whole service, or for the connection. */
const forbidden = new Set([
  ...["set-cookie", "clear-site-data", "service-worker-allowed", "strict-transport-security", "alt-svc"],
  ...["refresh", "www-authenticate", "content-length", "content-security-policy"],
  // RFC 9110 section 7.6.1: of the connection alone.
  ...["connection", "keep-alive", "proxy-authenticate", "proxy-authorization", "proxy-connection", "te"],
  ...["trailer", "transfer-encoding", "upgrade"],
]);

/** Whether a response of a workflow may have a header field. */
export function mayRespondWith(name: string): boolean {
  const field = name.toLowerCase();
  return !forbidden.has(field) && !field.startsWith("access-control-");
}
