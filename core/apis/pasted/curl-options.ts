/** The options of curl's own manual (8.x), by how they are written: which take a value, and their one-letter forms. */

const words = (text: string): string[] => text.trim().split(/\s+/);

/** Options that take a value, without the two dashes. */
const taking = new Set(
  words(`
  abstract-unix-socket alt-svc aws-sigv4 cacert capath cert cert-type ciphers config connect-timeout connect-to
  continue-at cookie cookie-jar create-file-mode crlfile curves data data-ascii data-binary data-raw data-urlencode
  delegation dns-interface dns-ipv4-addr dns-ipv6-addr dns-servers doh-url dump-header ech egd-file engine etag-compare
  etag-save expect100-timeout form form-string ftp-account ftp-alternative-to-user ftp-method ftp-port ftp-ssl-ccc-mode
  happy-eyeballs-timeout-ms haproxy-clientip header help hostpubmd5 hostpubsha256 hsts interface ip-tos ipfs-gateway
  json keepalive-cnt keepalive-time key key-type krb libcurl limit-rate local-port login-options mail-auth mail-from
  mail-rcpt max-filesize max-redirs max-time netrc-file noproxy oauth2-bearer output output-dir parallel-max pass
  pinnedpubkey preproxy proto proto-default proto-redir proxy proxy-cacert proxy-capath proxy-cert proxy-cert-type
  proxy-ciphers proxy-crlfile proxy-header proxy-key proxy-key-type proxy-pass proxy-pinnedpubkey proxy-service-name
  proxy-tls13-ciphers proxy-tlsauthtype proxy-tlspassword proxy-tlsuser proxy-user proxy1.0 pubkey quote random-file
  range rate referer request request-target resolve retry retry-delay retry-max-time sasl-authzid service-name
  sigalgs socks4 socks4a socks5 socks5-gssapi-service socks5-hostname speed-limit speed-time stderr telnet-option
  tftp-blksize time-cond tls-max tls13-ciphers tlsauthtype tlspassword tlsuser trace trace-ascii trace-config
  unix-socket upload-file upload-flags url url-query user user-agent variable vlan-priority write-out`),
);

/** Options without a value. */
const bare = new Set(
  words(`
  anyauth append basic ca-native cert-status compressed compressed-ssh create-dirs crlf digest disable disable-eprt
  disable-epsv disallow-username-in-url doh-cert-status doh-insecure fail fail-early fail-with-body false-start
  form-escape ftp-create-dirs ftp-pasv ftp-pret ftp-skip-pasv-ip ftp-ssl-ccc ftp-ssl-control get globoff
  haproxy-protocol head http0.9 http1.0 http1.1 http2 http2-prior-knowledge http3 http3-only ignore-content-length
  include insecure ipv4 ipv6 junk-session-cookies list-only location location-trusted mail-rcpt-allowfails manual
  metalink mptcp negotiate netrc netrc-optional next no-alpn no-buffer no-clobber no-keepalive no-npn
  no-progress-meter no-sessionid ntlm ntlm-wb parallel parallel-immediate path-as-is post301 post302 post303
  progress-bar proxy-anyauth proxy-basic proxy-ca-native proxy-digest proxy-http2 proxy-insecure proxy-negotiate
  proxy-ntlm proxy-ssl-allow-beast proxy-ssl-auto-client-cert proxy-tlsv1 proxytunnel raw remote-header-name
  remote-name remote-name-all remote-time remove-on-error retry-all-errors retry-connrefused sasl-ir show-error
  show-headers silent skip-existing socks5-basic socks5-gssapi socks5-gssapi-nec ssl ssl-allow-beast
  ssl-auto-client-cert ssl-no-revoke ssl-reqd ssl-revoke-best-effort sslv2 sslv3 styled-output
  suppress-connect-headers tcp-fastopen tcp-nodelay tftp-no-options tls-earlydata tlsv1 tlsv1.0 tlsv1.1 tlsv1.2
  tlsv1.3 tr-encoding trace-ids trace-time use-ascii verbose version xattr`),
);

const letters: Record<string, string> = {
  ...{
    "0": "http1.0",
    "1": "tlsv1",
    "2": "sslv2",
    "3": "sslv3",
    "4": "ipv4",
    "6": "ipv6",
    "#": "progress-bar",
  },
  ...{
    ":": "next",
    a: "append",
    A: "user-agent",
    b: "cookie",
    B: "use-ascii",
    c: "cookie-jar",
    C: "continue-at",
  },
  ...{ d: "data", D: "dump-header", e: "referer", E: "cert", f: "fail", F: "form", g: "globoff", G: "get" },
  ...{ h: "help", H: "header", i: "include", I: "head", j: "junk-session-cookies", J: "remote-header-name" },
  ...{ k: "insecure", K: "config", l: "list-only", L: "location", m: "max-time", M: "manual", n: "netrc" },
  ...{
    N: "no-buffer",
    o: "output",
    O: "remote-name",
    p: "proxytunnel",
    P: "ftp-port",
    q: "disable",
    Q: "quote",
  },
  ...{ r: "range", R: "remote-time", s: "silent", S: "show-error", t: "telnet-option", T: "upload-file" },
  ...{ u: "user", U: "proxy-user", v: "verbose", V: "version", w: "write-out", x: "proxy", X: "request" },
  ...{ y: "speed-time", Y: "speed-limit", z: "time-cond", Z: "parallel" },
};

/** An option as it was written, by its long name; `value` if it stands in the same word. */
export interface WrittenOption {
  name: string;
  known: boolean;
  takesValue: boolean;
  value?: string;
}

/** The options in one word: `--data-raw`, `--url=…`, `-sSXPOST`, of which only the last may take a value. */
export function optionsIn(word: string): WrittenOption[] {
  if (word.startsWith("--")) {
    const at = word.indexOf("=");
    const name = word.slice(2, at < 0 ? undefined : at);
    const long = taking.has(name) || bare.has(name) ? name : (begun(name) ?? name);
    return [
      {
        name: long,
        known: taking.has(long) || bare.has(long) || bare.has(long.replace(/^no-/, "")),
        takesValue: taking.has(long) && at < 0,
        ...(at < 0 ? {} : { value: word.slice(at + 1) }),
      },
    ];
  }
  const found: WrittenOption[] = [];
  for (let at = 1; at < word.length; at++) {
    const name = letters[word.charAt(at)];
    if (name === undefined) {
      found.push({ name: `-${word.charAt(at)}`, known: false, takesValue: false });
    } else if (taking.has(name)) {
      const rest = word.slice(at + 1);
      found.push({ name, known: true, takesValue: rest === "", ...(rest === "" ? {} : { value: rest }) });
      break;
    } else found.push({ name, known: true, takesValue: false });
  }
  return found;
}

/** The one option that begins so: curl takes a long name that is cut off, where it is clear. */
function begun(text: string): string | undefined {
  if (text.length < 3) return undefined;
  const fits = [...taking, ...bare].filter((name) => name.startsWith(text));
  return fits.length === 1 ? fits[0] : undefined;
}
